import { readFileSync } from "node:fs";

/** One row of the table in docs/architecture.md. */
export interface Room {
  readonly name: string;
  /** Names of rooms, `core/*` taken apart. */
  readonly mayImport: ReadonlySet<string>;
}

/** Reads the rooms of the house; `like …` takes over another row. */
export function readRooms(page = readFileSync("docs/architecture.md", "utf8")): Map<string, Room> {
  const rows = [...page.matchAll(/^\| `([^`]+)` \| [^|]* \|([^|]*)\|$/gm)].map(
    ([, name = "", said = ""]) => [name, said] as const,
  );
  const folders = rows.map(([name]) => name).filter((name) => name.startsWith("core/"));
  const rooms = new Map<string, Room>();
  for (const [name, said] of rows) {
    const named = [...said.matchAll(/`([^`]+)`/g)].map(([, room = ""]) => room);
    const taken = /^ like/.test(said) ? [...(rooms.get(named[0] as string)?.mayImport ?? [])] : [];
    const own = named.flatMap((room) => (room === "core/*" ? folders : [room]));
    rooms.set(name, { name, mayImport: new Set([name, ...taken, ...own]) });
  }
  return rooms;
}

/** The room of a file of `src`: the longest row that names its folder, or that of any command. */
export function roomOf(path: string, rooms: ReadonlyMap<string, Room>): string | undefined {
  const parts = path.split("/").slice(1);
  const named = [parts.slice(0, 2).join("/"), parts[0] as string].find((name) => rooms.has(name));
  if (named !== undefined) return named;
  return parts[0] === "cli" && parts.length === 3 ? "cli/COMMAND" : undefined;
}

import { COMMON, type Command, type Option } from "../frame/command.ts";

/** Names that only the settings or the store know. */
export interface Names {
  readonly destinations: () => Promise<readonly string[]>;
  readonly releases: () => Promise<readonly string[]>;
  readonly previews: () => Promise<readonly string[]>;
}

/** What a call has said so far. */
export interface Said {
  readonly command: Command | undefined;
  /** Options with their values. */
  readonly values: ReadonlyMap<string, string>;
}

const HELP = "help";

/** What can stand for the last of some words. @param words all after the program's name; the last one may be empty */
export async function findCandidates(
  words: readonly string[],
  commands: readonly Command[],
  names: Names,
): Promise<readonly string[]> {
  const current = words.at(-1) ?? "";
  const before = words.slice(0, -1);
  const all = await listAll(current, before, commands, names);
  return all.filter((word) => word.startsWith(current)).sort();
}

/** What is said already, of a call that is not whole yet. */
export function readSaid(words: readonly string[], commands: readonly Command[]): Said {
  const command = commands.find(({ name }) => words.includes(name));
  const values = new Map<string, string>();
  for (const [index, word] of words.entries()) {
    const [, name = "", value] = /^--([^=]+)(?:=(.*))?$/s.exec(word) ?? [];
    if (name !== "") values.set(name, value ?? words[index + 1] ?? "");
  }
  return { command, values };
}

async function listAll(
  current: string,
  before: readonly string[],
  commands: readonly Command[],
  names: Names,
): Promise<readonly string[]> {
  const { command, values } = readSaid(before, commands);
  if (before.includes(HELP) && !command) return [...commands.map(({ name }) => name), "words", "man"];
  if (!command)
    return current.startsWith("-") ? ["--help", "--version"] : [...commands.map(({ name }) => name), HELP];
  const options: Readonly<Record<string, Option>> = { ...command.options, ...COMMON };
  const last = before.at(-1) ?? "";
  const option = last.startsWith("--") ? options[last.slice(2)] : undefined;
  if (option && option.kind !== "switch") return listValues(option, names);
  if (current.startsWith("-"))
    return [
      ...Object.entries(options)
        .filter(([name, { kind }]) => kind === "list" || !values.has(name))
        .map(([name]) => `--${name}`),
      "--help",
    ];
  return listArguments(command, names);
}

async function listValues({ choices, of }: Option, names: Names): Promise<readonly string[]> {
  if (choices) return choices;
  if (of === "destination") return names.destinations();
  if (of === "release") return ["current", "previous", ...(await names.releases())];
  return of === "preview" ? names.previews() : [];
}

/** Words that a command takes besides its options; none where they are files or addresses. */
async function listArguments({ words = [], positional }: Command, names: Names): Promise<readonly string[]> {
  if (positional !== "RELEASE") return words;
  return [...words, "current", "previous", ...(await names.releases())];
}

import { execFileSync } from "node:child_process";
import { readdirSync, readFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { ProjectHere } from "../support/called-here.ts";
import { NO_KEYS } from "../support/program.ts";
import { readRooms, roomOf } from "./rooms.ts";
import { importsOf, SOURCES } from "./sources.ts";

interface Source {
  readonly path: string;
  readonly imports: readonly string[];
}

const toSource = (path: string, text?: string): Source => ({ path, imports: importsOf(path, text) });

const ROOMS = readRooms();

/** Imports that the table does not allow, and files that stand in no room. */
function findBreaches(sources: readonly Source[]): string[] {
  return sources.flatMap(({ path, imports }) => {
    const from = roomOf(path, ROOMS);
    const allowed = from === undefined ? undefined : ROOMS.get(from)?.mayImport;
    if (!allowed) return [`${path} stands in no room`];
    return imports
      .filter((target) => !isAllowed(path, target, allowed))
      .map((target) => `${path} imports ${target}`);
  });
}

function isAllowed(path: string, target: string, allowed: ReadonlySet<string>): boolean {
  const to = roomOf(target, ROOMS);
  if (dirname(path) === dirname(target)) return true;
  // A command takes of another one only how it shows something; the list of commands takes what each one says of itself.
  const isCommand = to === "cli/COMMAND" || /^cli\/(demo|sandbox|serve|setup)$/.test(to ?? "");
  if (isCommand)
    return path === "src/cli/run.ts" ? /\/command\.ts$/.test(target) : /\/show[^/]*\.ts$/.test(target);
  return to !== undefined && allowed.has(to);
}

/** Rooms that import each other, by way of others or at once. */
const findRoomCycles = (sources: readonly Source[]): string[] => {
  const graph = new Map<string, Set<string>>();
  for (const { path, imports } of sources)
    for (const target of imports) {
      const [from, to] = [roomOf(path, ROOMS) ?? "", roomOf(target, ROOMS) ?? ""];
      if (from !== to && !to.startsWith("cli/")) graph.set(from, (graph.get(from) ?? new Set()).add(to));
    }
  return findCycles([...graph].map(([path, imports]) => ({ path, imports: [...imports] })));
};

function findCycles(sources: readonly Source[]): string[] {
  const graph = new Map(sources.map(({ path, imports }) => [path, imports]));
  const done = new Set<string>();
  const cycles: string[] = [];
  const visit = (path: string, trail: readonly string[]): void => {
    if (trail.includes(path)) cycles.push([...trail.slice(trail.indexOf(path)), path].join(" → "));
    else if (!done.has(path)) {
      for (const target of graph.get(path) ?? []) visit(target, [...trail, path]);
      done.add(path);
    }
  };
  for (const path of graph.keys()) visit(path, []);
  return cycles;
}

test("each folder imports only what its place in the house allows, without a cycle", () => {
  const sources = SOURCES.map((path) => toSource(path));
  expect(sources.length).toBeGreaterThan(50);
  expect(sources.flatMap(({ imports }) => imports).length).toBeGreaterThan(150);
  expect(findBreaches(sources)).toEqual([]);
  expect(findCycles(sources)).toEqual([]);
  expect(findRoomCycles(sources)).toEqual([]);
});

test("a command has a folder with its options, and all that it prints in it or in one that it shares", () => {
  const folders = readdirSync("src/cli", { withFileTypes: true }).filter((entry) => entry.isDirectory());
  const commands = folders.map(({ name }) => name).filter((name) => name !== "frame");
  expect(commands.length).toBeGreaterThanOrEqual(15);
  for (const name of commands) {
    const text = readFileSync(join("src/cli", name, "command.ts"), "utf8");
    expect([name, text.includes(`name: "${name}"`)]).toEqual([name, true]);
    // What a command does is in its own folder: nobody pays for the others at the start.
    expect([
      name,
      ...[...text.matchAll(/await import\("([^"]+)"\)/g)].map(([, path]) => path),
    ]).not.toContainEqual(expect.stringMatching(/^\.\.\/(?!frame|\.\.\/wiring|\.\.\/sandbox)/));
  }
});

test("the check itself finds a breach and a cycle", () => {
  expect(findBreaches([toSource("src/core/build/roles.ts", 'import { x } from "../gather/scan-build.ts";')])).toHaveLength(1);
  expect(findBreaches([toSource("src/cli/frame/help.ts", 'const { x } = await import("../../adapters/stores/s3/client.ts");')])).toHaveLength(1);
  expect(findBreaches([toSource("src/ports/edge.ts", 'import type { X } from "../core/edges/owed.ts";')])).toHaveLength(1);
  expect(findBreaches([toSource("src/cli/verify/run.ts", 'import { x } from "../deliver/run.ts";')])).toHaveLength(1);
  expect(findBreaches([toSource("src/nowhere/x.ts", "")])).toHaveLength(1);
  expect(
    findRoomCycles([
      toSource("src/core/model/a.ts", 'import { x } from "../build/b.ts";'),
      toSource("src/core/build/c.ts", 'import { y } from "../model/d.ts";'),
    ]),
  ).toHaveLength(1);
  const a = toSource("src/core/a.ts", 'import type { B } from "./b.ts";');
  expect(findCycles([a, toSource("src/core/b.ts", 'export * from "./a.ts";')])).toHaveLength(1);
}); // prettier-ignore

/** Lints texts by the rules for a file of core that need no types, in a process of its own. */
const LINT = `
  import { readFileSync } from "node:fs";
  import { ESLint, Linter } from "eslint";
  const { rules } = await new ESLint().calculateConfigForFile("src/core/model/largest.ts");
  const pure = Object.fromEntries(Object.entries(rules).filter(([name]) => name.startsWith("no-restricted-")));
  const globals = Object.fromEntries(["process", "Date"].map((name) => [name, "readonly"]));
  const found = JSON.parse(readFileSync(0, "utf8")).map((text) =>
    new Linter().verify(text, { rules: pure, languageOptions: { globals } }).map(({ message }) => message));
  console.log(JSON.stringify(found));
`;

test("the lint rule keeps core pure", () => {
  const texts = [
    'import { readFileSync } from "node:fs";\nexport const x = readFileSync("a");\n',
    "export const now = () => Date.now() + new Date().getTime() + process.pid;\n",
    "export const one = 1;\n",
  ];
  const printed = execFileSync(process.execPath, ["--input-type=module", "-e", LINT], {
    ...{ input: JSON.stringify(texts), encoding: "utf8" },
    env: { ...process.env, NODE_OPTIONS: "" },
  });
  const [file = [], clock = [], plain] = JSON.parse(printed) as string[][];
  expect(file.filter((message) => message.includes("core is pure"))).toHaveLength(1);
  expect(clock).toHaveLength(3);
  expect(plain).toEqual([]);
});

test("what is made from the sources is in step with them", () => {
  execFileSync(process.execPath, ["scripts/generate.mjs", "--check"], {
    env: { ...process.env, NODE_OPTIONS: "" },
  });
});

test("every command has its help, with each option described", async () => {
  const project = new ProjectHere("", NO_KEYS);
  const program = async (...args: string[]): Promise<string> => (await project.run(args)).stdout;
  const names = [...(await program("--help")).matchAll(/^ {2}([a-z]+) {2,}\S/gm)].map(
    ([, name = ""]) => name,
  );
  expect(names.length).toBeGreaterThanOrEqual(3);
  for (const name of names) expect(await program(name, "--help")).toMatch(/^ {2}--\S+.* {2}\S/m);
});

import { execFileSync } from "node:child_process";
import { readdirSync, readFileSync } from "node:fs";
import { dirname, join, normalize } from "node:path";

/** Which folder may import which; `core/model` is open to all, the wiring alone knows the adapters. */
const ALLOWED: Readonly<Record<string, readonly string[]>> = {
  core: ["core"],
  ports: ["core", "ports"],
  settings: ["core", "settings"],
  gather: ["core", "ports", "gather"],
  perform: ["core", "ports", "perform"],
  adapters: ["core", "ports", "adapters"],
  workflows: ["core", "ports", "gather", "perform", "settings", "workflows"],
  sandbox: ["core", "ports", "sandbox"],
  cli: ["core", "ports", "gather", "perform", "settings", "workflows", "sandbox", "adapters", "cli"],
  "main.ts": ["cli"],
};
/** Files of the command line that put the parts together; no other one reaches adapters or the engine's parts. */
const WIRING = /^src\/cli\/(wiring|run-delivery|run-demo|run-look|run-setup|run-checkup)\.ts$/;
const ONLY_WIRED = new Set(["adapters", "gather", "perform"]);

interface Source {
  readonly path: string;
  readonly imports: readonly string[];
}

function readSources(): Source[] {
  return (readdirSync("src", { recursive: true, encoding: "utf8" }) as string[])
    .filter((name) => name.endsWith(".ts") && !name.endsWith(".test.ts"))
    .map((name) => toSource(join("src", name), readFileSync(join("src", name), "utf8")));
}

function toSource(path: string, text: string): Source {
  const found = [...text.matchAll(/(?:from|import)\s*\(?\s*"(\.[^"]+)"/g)];
  return { path, imports: found.map(([, target = ""]) => normalize(join(dirname(path), target))) };
}

const folderOf = (path: string): string => path.split("/")[1] ?? "";

function findBreaches(sources: readonly Source[]): string[] {
  return sources.flatMap(({ path, imports }) =>
    imports
      .filter((target) => {
        const [from, to] = [folderOf(path), folderOf(target)];
        const isWired = from !== "cli" || !ONLY_WIRED.has(to) || WIRING.test(path);
        return !(ALLOWED[from] ?? []).includes(to) || !isWired;
      })
      .map((target) => `${path} imports ${target}`),
  );
}

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
  const sources = readSources();
  expect(sources.length).toBeGreaterThan(50);
  expect(sources.flatMap(({ imports }) => imports).length).toBeGreaterThan(150);
  expect(findBreaches(sources)).toEqual([]);
  expect(findCycles(sources)).toEqual([]);
});

test("the check itself finds a breach and a cycle", () => {
  expect(
    findBreaches([toSource("src/core/build/roles.ts", 'import { x } from "../gather/scan-build.ts";')]),
  ).toHaveLength(1);
  expect(
    findBreaches([
      toSource("src/cli/frame/help.ts", 'const { x } = await import("../../adapters/stores/s3/client.ts");'),
    ]),
  ).toHaveLength(1);
  const a = toSource("src/core/a.ts", 'import type { B } from "./b.ts";');
  expect(findCycles([a, toSource("src/core/b.ts", 'export * from "./a.ts";')])).toHaveLength(1);
});

test("the lint rule keeps core pure", () => {
  const lint = (code: string): string => {
    try {
      return execFileSync(
        process.execPath,
        ["node_modules/eslint/bin/eslint.js", "--stdin", "--stdin-filename", "src/core/tried.ts"],
        { input: code, encoding: "utf8", env: { ...process.env, NODE_OPTIONS: "" } },
      );
    } catch (error) {
      return (error as { stdout: string }).stdout;
    }
  };
  expect(lint('import { readFileSync } from "node:fs";\nexport const x = readFileSync("a");\n')).toContain(
    "core is pure",
  );
  expect(
    lint("export const now = (): number => Date.now() + new Date().getTime() + process.pid;\n").match(
      /time is an argument|process/g,
    )?.length,
  ).toBeGreaterThanOrEqual(3);
  expect(lint("export const one = 1;\n")).toBe("");
});

test("what is made from the sources is in step with them", () => {
  execFileSync(process.execPath, ["scripts/generate.mjs", "--check"], {
    env: { ...process.env, NODE_OPTIONS: "" },
  });
});

test("every command has its help, with each option described", () => {
  const program = (...args: string[]): string =>
    execFileSync(process.execPath, ["dist/main.js", ...args], {
      encoding: "utf8",
      env: { PATH: process.env.PATH },
    });
  const names = [...program("--help").matchAll(/^ {2}([a-z]+) {2,}\S/gm)].map(([, name = ""]) => name);
  expect(names.length).toBeGreaterThanOrEqual(3);
  for (const name of names) expect(program(name, "--help")).toMatch(/^ {2}--\S+.* {2}\S/m);
});

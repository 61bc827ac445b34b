// Puts small faults into a copy of the sources, one at a time, and looks whether a test goes red. What survives shows what
// no test asks about. `npm run mutants -- --help` names the options; CONTRIBUTING.md says how to read the table.
import { spawn } from "node:child_process";
import { cpSync, mkdtempSync, readFileSync, readdirSync, rmSync, symlinkSync, writeFileSync } from "node:fs"; // prettier-ignore
import { tmpdir } from "node:os";
import { join, resolve } from "node:path";
import { parseArgs } from "node:util";
import { findMutants } from "./find-mutants.mjs";
import { typeChecker } from "./type-checker.mjs";

const HELP = `Puts small faults into a copy of the sources, one at a time, and looks whether a test goes red.

  --count 200       how many faults
  --seed 1          which ones
  --in FOLDER       where; may be given more than once
  --jobs 2          how many at a time
  --near            only tests that stand beside the sources and end soon: finds quickly what these don't ask
  --trips           what the quick suites let pass is tried on the trips as well: up to eight minutes for each
  --program         what is let pass is tried on the built program too: minutes for each
  --out FILE        writes the table and all survivors there as well
`;
const { values } = parseArgs({
  options: {
    count: { type: "string", default: "200" },
    seed: { type: "string", default: "1" },
    in: {
      type: "string",
      multiple: true,
      default: ["core", "perform", "workflows", "gather", "adapters"].map((room) => `src/${room}`),
    },
    jobs: { type: "string", default: "2" },
    near: { type: "boolean", default: false },
    trips: { type: "boolean", default: false },
    program: { type: "boolean", default: false },
    out: { type: "string" },
    help: { type: "boolean", default: false },
  },
});
if (values.help) {
  process.stdout.write(HELP);
  process.exit(0);
}

/** Faults that change nothing that anybody could see, judged by hand: file, line, change, and why. */
const EQUAL = JSON.parse(readFileSync(new URL("equal-mutants.json", import.meta.url), "utf8"));

const main = async () => {
  const chosen = choose();
  const folders = Array.from({ length: Number(values.jobs) }, copySources);
  const began = performance.now();
  // Without a fault all must be green, or nothing could be told from red; side by side, as later.
  await Promise.all(folders.map(runWithout));
  process.stderr.write(`without a fault it takes ${Math.round((performance.now() - began) / 1000)} s\n`);
  const results = [];
  let next = 0;
  await Promise.all(
    folders.map(async (folder) => {
      for (let mutant = chosen[next++]; mutant !== undefined; mutant = chosen[next++]) {
        const noticed = await tryOne(folder, mutant);
        results.push({ ...mutant, noticed });
        process.stderr.write(
          `${results.length} of ${chosen.length}: ${noticed.padEnd(9)} ${describe(mutant)}\n`,
        );
      }
    }),
  );
  for (const folder of folders) rmSync(folder, { recursive: true });
  const report = toReport(results);
  process.stdout.write(report);
  if (values.out !== undefined) writeFileSync(values.out, report);
};

/** @returns faults that the type checker lets pass, with their files and lines; the same for the same seed */
function choose() {
  const files = values.in.flatMap((path) =>
    path.endsWith(".ts")
      ? [path]
      : readdirSync(path, { recursive: true })
          .filter((name) => name.endsWith(".ts") && !name.endsWith(".test.ts"))
          .map((name) => `${path}/${name}`),
  );
  const all = files.sort().flatMap((file) => {
    const text = readFileSync(file, "utf8");
    return findMutants(text).map((mutant) => ({ file, text, ...mutant, ...lineOf(text, mutant.start) }));
  });
  process.stderr.write(`${all.length} faults could be put into ${files.length} files\n`);
  const findErrors = typeChecker();
  const chosen = [];
  for (const mutant of shuffle(all, Number(values.seed))) {
    if (chosen.length === Number(values.count)) break;
    // What the types forbid never gets as far as a test.
    if (findErrors(mutant.file, mutate(mutant)).length === 0) chosen.push(mutant);
  }
  return chosen;
}

const mutate = ({ text, start, end, to }) => text.slice(0, start) + to + text.slice(end);

const lineOf = (text, at) => {
  const before = text.slice(0, at).split("\n");
  const line = before.length;
  return { line, column: before.at(-1).length + 1, code: text.split("\n")[line - 1].trim() };
};

const describe = ({ file, line, column, text, start, end, to }) =>
  `${file}:${line}:${column}: ${clip(text.slice(start, end))} → ${clip(to)}`;

const clip = (text) => {
  const flat = text.replace(/\s+/g, " ");
  return flat.length > 70 ? `${flat.slice(0, 69)}…` : flat;
};

/** A shuffle by a linear congruential generator: the same order for the same seed. */
function shuffle(items, seed) {
  const shuffled = [...items];
  let state = seed;
  for (let last = shuffled.length - 1; last > 0; last--) {
    state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
    const other = Math.floor((state / 2 ** 32) * (last + 1));
    [shuffled[last], shuffled[other]] = [shuffled[other], shuffled[last]];
  }
  return shuffled;
}

function copySources() {
  const folder = mkdtempSync(join(tmpdir(), "courier-mutants-"));
  for (const part of [
    "src",
    "test",
    "scripts",
    "demo",
    "docs",
    "dist",
    "package.json",
    "package-lock.json",
    "jest.config.js",
    "courier.schema.json",
    "tsconfig.json",
  ])
    // prettier-ignore
    cpSync(part, join(folder, part), { recursive: true, preserveTimestamps: true });
  symlinkSync(resolve("node_modules"), join(folder, "node_modules"));
  return folder;
}

const JEST = ["node_modules/jest/bin/jest.js", "--runInBand", "--forceExit", "--bail", "--silent", "--passWithNoTests", "--globalSetup="]; // prettier-ignore
/** What is tried in turn: folders of tests, of which those that import the file run, the nearest first. */
const STAGES = [
  { name: "quick", others: values.near ? "/test/|interleaving|late|promises" : "/test/(?!contracts|commands|builds-truth)" }, // prettier-ignore
  ...(values.trips ? [{ name: "trips", others: "(/src/|/test/(?!trips))" }] : []),
];

const runRelated = (folder, file, { others }) =>
  run(
    folder,
    [...JEST, "--testSequencer=./test/support/nearest-first.js", "--findRelatedTests", file, "--testPathIgnorePatterns", "/node_modules/", others], // prettier-ignore
    { COURIER_NEAR: file },
  );

async function runWithout(folder) {
  const { code, said } = await runRelated(folder, "src/core/edges/read-back.ts", STAGES[0]);
  if (code !== 0) throw new Error(`the tests are red without any fault:\n${said}`);
}

/** @returns what noticed it: the name of a stage, `program`, `hung`, or nothing: `survived` */
async function tryOne(folder, mutant) {
  const file = join(folder, mutant.file);
  writeFileSync(file, mutate(mutant));
  try {
    for (const stage of STAGES) {
      const { code } = await runRelated(folder, mutant.file, stage);
      if (code !== 0) return code === undefined ? "hung" : stage.name;
    }
    if (!values.program) return "survived";
    if ((await run(folder, ["scripts/build.mjs"])).code !== 0) return "program";
    const ended = await run(folder, [...JEST, "test/e2e", "test/hostile", "test/resilience"]);
    return ended.code === 0 ? "survived" : "program";
  } finally {
    writeFileSync(file, mutant.text);
  }
}

/**
 * A run of which nothing is heard for so long has met a loop without an end: the slowest file of tests takes three minutes,
 * the slowest of those beside the sources half of one.
 */
const SILENCE_MS = values.near ? 120_000 : 400_000;

/** @returns the exit code and the end of what was said; no code: nothing was heard of it any more */
function run(folder, args, environment = {}) {
  const child = spawn(process.execPath, args, {
    cwd: folder,
    stdio: ["ignore", "pipe", "pipe"],
    env: {
      ...process.env,
      NODE_OPTIONS: "--experimental-vm-modules --disable-warning=ExperimentalWarning",
      ...environment,
    },
  });
  let said = "";
  const silence = setTimeout(() => child.kill("SIGKILL"), SILENCE_MS);
  for (const stream of [child.stdout, child.stderr])
    stream.on("data", (chunk) => {
      silence.refresh();
      said = (said + String(chunk)).slice(-4000);
    });
  return new Promise((done) =>
    child.once("exit", (code) => {
      clearTimeout(silence);
      done({ code: code ?? undefined, said });
    }),
  );
}

function toReport(results) {
  const isEqual = ({ file, code, text, start, end, to }) =>
    EQUAL.some((one) => one.file === file && one.code === code && one.from === text.slice(start, end) && one.to === to); // prettier-ignore
  const rooms = [...new Set(values.in)];
  const rows = [...rooms, "all"].map((room) => {
    const here = results.filter(({ file }) => room === "all" || file.startsWith(room));
    const count = (by) => here.filter((one) => one.noticed === by).length;
    const equal = here.filter((one) => one.noticed === "survived" && isEqual(one)).length;
    const asked = here.length - equal;
    const killed = here.filter((one) => one.noticed !== "survived").length;
    const share = asked === 0 ? "" : `${((100 * killed) / asked).toFixed(0)} %`;
    return `| ${room} | ${here.length} | ${count("quick")} | ${values.trips ? count("trips") : ""} | ${count("hung")} | ${values.program ? count("program") : ""} | ${equal} | ${asked - killed} | ${share} |`;
  });
  const survivors = results
    .filter((one) => one.noticed === "survived" && !isEqual(one))
    .map((one) => `- ${describe(one)}\n  \`${one.code}\``)
    .sort();
  return [
    `Seed ${values.seed}.`,
    "",
    "| where | faults | noticed by quick suites | by trips | never ended | by the built program | equal | survived | noticed of those not equal |",
    "|---|---|---|---|---|---|---|---|---|",
    ...rows,
    "",
    "Survivors:",
    "",
    ...survivors,
    "",
  ].join("\n");
}

await main();

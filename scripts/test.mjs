// Runs tests, and beside them lint, types and the search for unused exports where the whole is asked for. Arguments that are
// no modes go on to Jest.
import { spawn } from "node:child_process";
import { randomInt } from "node:crypto";
import { availableParallelism } from "node:os";
import { delimiter, dirname } from "node:path";

/** What takes no program: units, contracts, builds against their truth, the architecture. */
const QUICK = ["src", "test/contracts", "test/commands", "test/builds-truth", "test/architecture"];
/** Long ways through the built program. `test/servers` joins in where real servers run. */
const LONG = ["test/trips", "test/hostile", "test/resilience", "test/fuzz"];

const MODES = {
  "--quick": () => QUICK,
  "--program": (environment) => (environment.COURIER_REAL_STORE ? [...LONG, "test/servers"] : LONG),
  "--soak": (environment) => {
    environment.SOAK = "1";
    // Another night, other cases.
    environment.COURIER_SEED ??= String(randomInt(2 ** 31));
    const servers = environment.COURIER_REAL_STORE ? ["test/servers"] : [];
    // What is called in the tests' own process by day is the built program at night.
    return [
      "src",
      "test/contracts",
      "test/commands",
      "test/trips",
      "test/hostile",
      "test/resilience",
      ...servers,
    ];
  },
  // Two minutes in all; COURIER_FUZZ_SECONDS is for each family of inputs.
  "--fuzz": (environment) => {
    environment.COURIER_FUZZ_SECONDS ??= "16";
    environment.COURIER_SEED ??= String(randomInt(2 ** 31));
    return ["test/fuzz"];
  },
  // What the program says on the way through the demo's data is written down anew.
  "--results": (environment) => {
    environment.COURIER_RESULTS = "test/commands/results.json";
    return ["test/commands/results"];
  },
};

/** Another Node.js for the tests and what they start; lint and types run with this one. */
const NODE = process.env.COURIER_NODE ?? process.execPath;

const environment = {
  ...process.env,
  // Where tests start "node", it must be theirs.
  PATH: [dirname(NODE), process.env.PATH].join(delimiter),
  NODE_OPTIONS: `${process.env.NODE_OPTIONS ?? ""} --experimental-vm-modules --disable-warning=ExperimentalWarning`,
};
const asked = process.argv.slice(2);
const tests = asked.flatMap((argument) => MODES[argument]?.(environment) ?? [argument]);
const isWhole = tests.length === 0;

/** A test run that never ends is a failure to be seen, not to be waited for. */
const MOST_MS =
  Number(environment.COURIER_FUZZ_SECONDS ?? 0) * 30_000 + (environment.SOAK ? 4 * 3_600_000 : 45 * 60_000);
const CACHE = "node_modules/.cache/courier";

/** Each tool starts once; what it found is printed when it has ended. */
const CHECKS = [
  ["scripts/lint.mjs"],
  ["node_modules/prettier/bin/prettier.cjs", "--check", "--log-level=warn", "--cache", "--cache-location", `${CACHE}/prettier.json`, "."], // prettier-ignore
  ["node_modules/knip/bin/knip.js"],
];

const seconds = (began) => `${((performance.now() - began) / 1000).toFixed(0)} s`;

/** @returns the exit code of one tool */
function run(call, stdio, node = process.execPath) {
  const child = spawn(node, call, { stdio, env: environment, timeout: MOST_MS });
  let said = "";
  for (const stream of [child.stdout, child.stderr]) stream?.on("data", (chunk) => (said += String(chunk)));
  return new Promise((done) =>
    child.once("close", (code) => {
      process.stdout.write(said);
      done(code ?? 1);
    }),
  );
}

async function check() {
  for (const call of CHECKS) {
    const began = performance.now();
    const exit = await run(call, ["ignore", "pipe", "pipe"]);
    const name = /(\w+)\.[cm]?js$/.exec(call[0])?.[1] ?? call[0].split("/").at(-1);
    process.stdout.write(`${exit === 0 ? "PASS" : "FAIL"} ${name} (${seconds(began)})\n`);
    if (exit !== 0) return exit;
  }
  return 0;
}

const began = performance.now();
// Tests that drive the program wait a good deal, those at real servers most of all: more of them than there are cores keep
// these busy.
const spare = asked.includes("--program") ? 2 : 1;
const workers = environment.COURIER_WORKERS ?? String(availableParallelism() + spare);
const jest = ["node_modules/jest/bin/jest.js", "--forceExit", `--maxWorkers=${workers}`];
const ends = await Promise.all([
  isWhole ? check() : 0,
  run([...jest, ...(isWhole ? [...QUICK, "test/e2e"] : tests)], "inherit", NODE),
]);
process.stdout.write(`all in ${seconds(began)}\n`);
process.exit(ends.find((exit) => exit !== 0) ?? 0);

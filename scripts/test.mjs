// Runs lint, types and tests in one go, so that 'npm test' is the whole check. Arguments go on to Jest.
import { spawnSync } from "node:child_process";

const modes = ["--soak", "--results", "--fuzz"];
const tests = process.argv.slice(2).filter((argument) => !modes.includes(argument));
const environment = {
  ...process.env,
  NODE_OPTIONS: `${process.env.NODE_OPTIONS ?? ""} --experimental-vm-modules --disable-warning=ExperimentalWarning`,
};
if (process.argv.includes("--soak")) {
  environment.SOAK = "1";
  tests.push("src/workflows", "test/resilience");
}

if (process.argv.includes("--results")) {
  // What the program says on the way through the demo's data is written down anew.
  environment.COURIER_RESULTS = "test/e2e/results.json";
  tests.push("test/e2e/results");
}

if (process.argv.includes("--fuzz")) {
  // Two minutes in all; COURIER_FUZZ_SECONDS is for each family of inputs, COURIER_FUZZ_SEED makes them others.
  environment.COURIER_FUZZ_SECONDS ??= "16";
  tests.push("test/fuzz");
}

const MOST_MS = Number(process.env.COURIER_FUZZ_SECONDS ?? 0) * 30_000 + 45 * 60_000;

const steps =
  tests.length > 0
    ? []
    : [
        ["node_modules/eslint/bin/eslint.js", "."],
        ["node_modules/prettier/bin/prettier.cjs", "--check", "--log-level=warn", "."],
        ["node_modules/typescript/bin/tsc"],
        ["node_modules/knip/bin/knip.js"],
      ];
for (const step of [...steps, ["node_modules/jest/bin/jest.js", "--forceExit", "--maxWorkers=2", ...tests]]) {
  // A test run that never ends is a failure to be seen, not to be waited for.
  const { status } = spawnSync(process.execPath, step, {
    stdio: "inherit",
    env: environment,
    timeout: MOST_MS,
  });
  if (status !== 0) process.exit(status ?? 1);
}

// What it costs to start: against Node.js itself. Builds first: node scripts/build.mjs && node bench/start.mjs
import { cpSync } from "node:fs";
import { join, resolve } from "node:path";
import { compareRuns, createStage, reportRuns, sandboxDestination } from "./stage.mjs";

const ROUNDS = 9;
const stage = createStage();
try {
  const build = join(stage.work, "build");
  cpSync(resolve("demo/builds/1"), build, { recursive: true });
  stage.writeSettings(build, sandboxDestination(await stage.startSandbox(), "demo/"));
  await stage.run("deliver", "--quiet");
  await stage.run("survey", "--quiet");
  const rows = await compareRuns(ROUNDS, () => stage.runScript("bench/nothing.mjs"), {
    "--version": () => stage.run("--version"),
    "--help": () => stage.run("--help"),
    "survey of the demo's site": () => stage.run("survey"),
    "unchanged delivery of the demo's site": () => stage.run("deliver"),
  });
  const goals = { "--version": 1.3, "--help": 1.6, "survey of the demo's site": 2.5, "unchanged delivery of the demo's site": 3 }; // prettier-ignore
  for (const [row, runs] of Object.entries(rows))
    reportRuns(row, runs, { floor: "`node` with an empty program", goal: goals[row] });
} finally {
  stage.end();
}

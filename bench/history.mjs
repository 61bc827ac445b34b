// A site with 40 retained releases against one with two: a delivery should not feel what came before it.
// Builds first: node scripts/build.mjs && node bench/history.mjs
import { cpSync, writeFileSync } from "node:fs";
import { join, resolve } from "node:path";
import { createStage, reportRuns, sandboxDestination } from "./stage.mjs";

const RELEASES = 40;
const ROUNDS = 5;
const stage = createStage();
try {
  const build = join(stage.work, "build");
  cpSync(resolve("demo/builds/1"), build, { recursive: true });
  const facts = await stage.startSandbox();
  let written = 0;
  const deliver = (prefix) => {
    stage.writeSettings(build, `${sandboxDestination(facts, prefix)}    retain: { releases: ${RELEASES} }\n`);
    return stage.run("deliver", "--format", "json");
  };
  const change = () => writeFileSync(join(build, "robots.txt"), `# ${(written += 1)}\n`);
  for (let release = 0; release < RELEASES; release++) {
    change();
    await deliver("long/");
  }
  for (let release = 0; release < 2; release++) {
    change();
    await deliver("short/");
  }
  const rows = { unchanged: { floors: [], runs: [] }, changed: { floors: [], runs: [] } };
  for (let round = 0; round < ROUNDS; round++) {
    change();
    rows.changed.floors.push(await deliver("short/"));
    rows.changed.runs.push(await deliver("long/"));
    rows.unchanged.floors.push(await deliver("short/"));
    rows.unchanged.runs.push(await deliver("long/"));
  }
  for (const [row, runs] of Object.entries(rows)) {
    const [few, many] = [runs.floors, runs.runs].map((all) => JSON.parse(all.at(-1).out).requests.get ?? 0);
    reportRuns(`${row} delivery with ${RELEASES} retained releases (${many} reads)`, runs, {
      floor: `the same with two to seven (${few} reads)`,
      goal: 1.1,
    });
  }
} finally {
  stage.end();
}

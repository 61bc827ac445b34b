// The same work on 10,000 and on 100,000 files: how much more the tenfold costs, and what the larger one takes of memory.
// Builds first: node scripts/build.mjs && node bench/scale.mjs [FILES]
import { join } from "node:path";
import { createStage, reportRuns, sandboxDestination } from "./stage.mjs";

const TENFOLD = Number(process.argv[2] ?? 100_000);
const WORK = [
  ["first delivery", "v1"],
  ["unchanged delivery", "v1"],
  ["delivery of 1 % changed", "v2"],
];

/** @returns the runs of each work, one of each */
async function measure(files) {
  const stage = createStage();
  try {
    const site = stage.makeSite(
      "site",
      ...["--files", files, "--seed", 5, "--change", 0.01, "--median", 2048],
    );
    const facts = await stage.startSandbox();
    const runs = [];
    for (const [, version] of WORK) {
      stage.writeSettings(join(site, version), sandboxDestination(facts, "site/"));
      runs.push(await stage.run("deliver", "--quiet"));
    }
    return runs;
  } finally {
    stage.end();
  }
}

const [few, many] = [await measure(TENFOLD / 10), await measure(TENFOLD)];
for (const [at, [work]] of WORK.entries())
  reportRuns(
    `${work}, ${TENFOLD.toLocaleString("en")} files`,
    { floors: [few[at]], runs: [many[at]] },
    { floor: `the same on ${(TENFOLD / 10).toLocaleString("en")} files`, goal: 11 },
  );

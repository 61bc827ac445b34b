// A large site's deliveries against the sandbox: first, unchanged, and the next build, written anew by its bundler.
// Builds first: node scripts/build.mjs && node bench/deliveries.mjs [FILES] [ROUNDS]
import { execFileSync } from "node:child_process";
import { rmSync } from "node:fs";
import { join } from "node:path";
import { createStage, reportRuns, sandboxDestination } from "./stage.mjs";

const [files = 20_000, rounds = 3] = process.argv.slice(2).map(Number);
/** By row: the floor in words, and the ratio that must be reached; absent: none is set. */
const ABOUT = {
  "survey, for the first time": ["each file read and hashed"],
  "survey, nothing touched": ["each file looked at"],
  "first delivery": ["each file read and put by a bare signed request, and the copies", 1.25],
  "unchanged delivery": ["each file looked at, the storage SDK loaded, the list, two reads", 1.5],
  "comparison, written anew, 1 % changed, with a cache": ["each file read and hashed", 1.6],
  "comparison, written anew, 1 % changed, on a fresh machine": ["each file read and hashed", 3],
  "delivery of 1 % changed": ["each file read and hashed"],
};

const stage = createStage();
try {
  await measure();
} finally {
  stage.end();
}

async function measure() {
  const site = stage.makeSite("site", ...["--files", files, "--seed", 5, "--change", 0.01, "--median", 8192]);
  const facts = await stage.startSandbox();
  const store = [facts.endpoint, facts.bucket];
  const [older, newer, build] = [join(site, "v1"), join(site, "v2"), join(stage.work, "build")];
  /** As bundlers do: the folder emptied, every file written. */
  const write = (version) => {
    rmSync(build, { recursive: true, force: true });
    execFileSync("cp", ["-r", version, build]);
  };
  const loseCache = () => rmSync(stage.cache, { recursive: true, force: true });
  const rows = {};
  const runsOf = (row) => (rows[row] ??= { floors: [], runs: [] });
  const floor = async (row, ...words) =>
    runsOf(row).floors.push(await stage.runScript("bench/floors.mjs", ...words));
  const ours = async (row, ...words) => {
    const run = await stage.run(...words, "--format", "json");
    runsOf(row).runs.push(run);
    return run;
  };

  for (let round = 0; round < rounds; round++) {
    stage.writeSettings(build, sandboxDestination(facts, `round-${round}/`));
    write(older);
    loseCache();
    await ours("survey, for the first time", "survey");
    await floor("survey, for the first time", "read", build);
    await ours("survey, nothing touched", "survey");
    await floor("survey, nothing touched", "walk", build);
    loseCache();
    const { out } = await ours("first delivery", "deliver");
    const { requests } = JSON.parse(out);
    const copies = requests.copy;
    await floor("first delivery", "send", build, ...store, `floor-${round}/`, copies, 32);
    await stage.runScript("bench/floors.mjs", "forget", ...store, `floor-${round}/`);
    await ours("unchanged delivery", "deliver");
    await floor("unchanged delivery", "unchanged", build, ...store, `round-${round}/`);
    write(newer);
    await floor("comparison, written anew, 1 % changed, with a cache", "read", build);
    await ours("comparison, written anew, 1 % changed, with a cache", "compare");
    loseCache();
    await floor("comparison, written anew, 1 % changed, on a fresh machine", "read", build);
    await ours("comparison, written anew, 1 % changed, on a fresh machine", "compare");
    await floor("delivery of 1 % changed", "read", build);
    await ours("delivery of 1 % changed", "deliver");
    await stage.runScript("bench/floors.mjs", "forget", ...store, `round-${round}/`);
  }
  for (const [row, [floors, goal]] of Object.entries(ABOUT))
    reportRuns(`${row}, ${files.toLocaleString("en")} files`, rows[row], { floor: floors, goal });
}

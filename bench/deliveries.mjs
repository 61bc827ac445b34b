// A large site's deliveries against the sandbox: first, unchanged, and the next build, written anew by its bundler.
// Builds first: node scripts/build.mjs && node bench/deliveries.mjs [FILES] [ROUNDS]
import { cpSync, rmSync } from "node:fs";
import { join } from "node:path";
import { createStage, median, sandboxDestination } from "./stage.mjs";
import { report } from "./measure.mjs";

const [files = 20_000, rounds = 3] = process.argv.slice(2).map(Number);
const FLOORS = "bench/floors.mjs";
const JSON_FORMAT = ["--format", "json"];

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
    cpSync(version, build, { recursive: true });
  };
  const loseCache = () => rmSync(stage.cache, { recursive: true, force: true });
  const rows = {};
  const note = (row, which, run) => ((rows[row] ??= { floor: [], ours: [] })[which].push(run), run);
  const floor = async (row, ...words) => note(row, "floor", await stage.runScript(FLOORS, ...words));
  const ours = async (row, ...words) => note(row, "ours", await stage.run(...words, ...JSON_FORMAT));

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
    await stage.runScript(FLOORS, "forget", ...store, `floor-${round}/`);
    await ours("unchanged delivery", "deliver");
    await floor("unchanged delivery", "unchanged", build, ...store, `round-${round}/`);
    write(newer);
    await floor("written anew, 1 % changed, with a cache", "read", build);
    await ours("written anew, 1 % changed, with a cache", "compare");
    loseCache();
    await floor("written anew, 1 % changed, on a fresh machine", "read", build);
    await ours("written anew, 1 % changed, on a fresh machine", "compare");
    await floor("delivery of 1 % changed", "read", build);
    await ours("delivery of 1 % changed", "deliver");
    await stage.runScript(FLOORS, "forget", ...store, `round-${round}/`);
  }
  for (const [row, { floor: floors, ours: all }] of Object.entries(rows)) {
    const of = (runs, fact) => median(runs.map((run) => run[fact]));
    report(`${row}, ${files.toLocaleString("en")} files`, {
      floorMs: Math.round(of(floors, "wallMs")),
      oursMs: Math.round(of(all, "wallMs")),
      ratio: Number((of(all, "wallMs") / of(floors, "wallMs")).toFixed(2)),
      floorCpuMs: Math.round(of(floors, "cpuMs")),
      cpuMs: Math.round(of(all, "cpuMs")),
      peakMb: of(all, "peakMb"),
    });
  }
}

// Large files, surveyed for the first time: eight, then one of 2 GB. Floor: one reused buffer of 1 MiB a thread, as many
// threads as cores.
// Builds first: node scripts/build.mjs && node bench/hashing.mjs
import { appendFileSync, mkdirSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { compareRuns, createStage, reportRuns } from "./stage.mjs";

const stage = createStage();
try {
  const build = join(stage.work, "build");
  mkdirSync(build);
  writeFileSync(join(build, "index.html"), "<!doctype html>");
  for (let film = 0; film < 8; film++)
    writeFileSync(join(build, `film-${film}.mp4`), Buffer.alloc(128 * 1024 * 1024, film));
  stage.writeSettings(build, `    url: http://127.0.0.1:9\n    store: { kind: folder, folder: out }\n`);
  const survey = () => {
    rmSync(stage.cache, { recursive: true, force: true });
    return stage.run("survey");
  };
  const measure = async (row, goal) => {
    const { large } = await compareRuns(5, () => stage.runScript("bench/floors.mjs", "hashLarge", build), {
      large: survey,
    });
    reportRuns(row, large, { floor: "each hashed through one buffer, by as many threads as cores", goal });
  };
  await measure("survey of eight files of 128 MiB", 1.15);
  for (let film = 1; film < 8; film++) rmSync(join(build, `film-${film}.mp4`));
  for (let part = 1; part < 16; part++)
    appendFileSync(join(build, "film-0.mp4"), Buffer.alloc(128 * 1024 * 1024, part));
  await measure("survey of one file of 2 GiB", 1.1);
} finally {
  stage.end();
}

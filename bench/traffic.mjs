// Access logs of one and of five million lines: seconds, and whether memory stays where it is.
// Builds first: node scripts/build.mjs && node bench/traffic.mjs [LINES]
import { execFileSync } from "node:child_process";
import { mkdirSync } from "node:fs";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { createStage, reportRuns } from "./stage.mjs";

const MANY = Number(process.argv[2] ?? 5_000_000);
const FEW = MANY / 5;
const LARGE_LOG = fileURLToPath(new URL("large-log.mjs", import.meta.url));

const stage = createStage();
try {
  mkdirSync(join(stage.work, "store"));
  stage.writeSettings("dist", `    store: { kind: folder, folder: ${join(stage.work, "store")} }\n`);
  const measure = (lines) => {
    const out = join(stage.work, `${lines}.log`);
    execFileSync(process.execPath, [LARGE_LOG, "--out", out, "--lines", String(lines)]);
    return stage.run("traffic", out);
  };
  const [few, many] = [await measure(FEW), await measure(MANY)];
  reportRuns(
    `traffic, a log of ${MANY.toLocaleString("en")} lines`,
    { floors: [few], runs: [many] },
    { floor: `the same on ${FEW.toLocaleString("en")} lines`, goal: 5.5 },
  );
} finally {
  stage.end();
}

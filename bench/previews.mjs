// Twenty previews of a site of 2,000 files, each of a build that differs by two: what the last one costs against the first,
// and what production's own delivery costs beside them. Builds first: node scripts/build.mjs && node bench/previews.mjs
import { writeFileSync } from "node:fs";
import { join } from "node:path";
import { createStage, reportRuns, sandboxDestination } from "./stage.mjs";

const [FILES, PREVIEWS, ROUNDS] = [2000, 20, 3];
const stage = createStage();
try {
  const build = join(stage.makeSite("site", "--files", FILES, "--seed", 5, "--median", 8192), "v1");
  const facts = await stage.startSandbox();
  const previews = `    previews: { address: "${facts.edge.replace("127.0.0.1", "{name}.preview.localhost")}" }\n`;
  stage.writeSettings(build, sandboxDestination(facts, '""') + previews);
  const deliver = (...words) => stage.run("deliver", ...words, "--format", "json");
  let written = 0;
  const change = () => {
    written += 1;
    for (const name of ["preview-a.txt", "preview-b.txt"]) writeFileSync(join(build, name), `${written}\n`);
  };
  change();
  await deliver();
  await deliver();
  const alone = [];
  for (let round = 0; round < ROUNDS; round++) alone.push(await deliver());
  const made = [];
  for (let number = 1; number <= PREVIEWS; number++) {
    change();
    made.push(await deliver("--preview", `preview-${number}`));
  }
  const beside = [];
  await deliver();
  for (let round = 0; round < ROUNDS; round++) beside.push(await deliver());
  const { bytes, requests } = JSON.parse(made.at(-1).out);
  const asked = Object.values(requests).reduce((sum, count) => sum + count, 0);
  const row = `the twentieth preview, ${FILES.toLocaleString("en")} files (${bytes.sent} bytes sent, ${asked.toLocaleString("en")} requests, of them ${requests.copy.toLocaleString("en")} copies)`;
  reportRuns(
    row,
    { floors: made.slice(0, ROUNDS), runs: made.slice(-ROUNDS) },
    { floor: "the first ones", goal: 1.2 },
  );
  const { list } = JSON.parse(beside.at(-1).out).requests;
  reportRuns(
    `unchanged delivery beside twenty previews, ${FILES.toLocaleString("en")} files (${list} requests for its list)`,
    { floors: alone, runs: beside },
    { floor: "the same without previews", goal: 1.2 },
  );
} finally {
  stage.end();
}

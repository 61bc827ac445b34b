import { createWriteStream, readdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { pipeline } from "node:stream/promises";
import { createGzip } from "node:zlib";
import { pack } from "tar-stream";
import { temporaryFolder } from "../support/builds.ts";
import { Project, RunningSandbox } from "../support/program.ts";
import { toZip } from "../support/zip.ts";

let sandbox: RunningSandbox;
beforeAll(async () => {
  sandbox = await RunningSandbox.start();
});
afterAll(() => sandbox.stop());

test("a build is delivered out of an archive, and nothing of it stays behind", async () => {
  const files = { "index.html": "<p>ferry</p>", "news/index.html": "<p>news</p>" };
  const archive = pack();
  for (const [name, text] of Object.entries(files)) archive.entry({ name: `./${name}` }, text);
  archive.finalize();
  const place = join(temporaryFolder("archive"), "site.tar.gz");
  await pipeline([archive, createGzip(), createWriteStream(place)] as never);
  const project = new Project(sandbox.settings(place), sandbox.facts);
  const outcome = await project.run(["deliver", "--format", "json"], { TMPDIR: project.folder });
  expect(outcome).toMatchObject({ exit: 0 });
  const { changes } = JSON.parse(outcome.stdout) as { changes: { key: string }[] };
  expect(changes.map(({ key }) => key)).toEqual(Object.keys(files));
  expect(readdirSync(project.folder)).toEqual(["courier.yaml"]);
});

test("an archive that leads out of its folder is refused, and nothing is left behind", async () => {
  const place = join(temporaryFolder("archive"), "site.zip");
  writeFileSync(place, toZip([{ name: "../evil", text: "x" }]));
  const project = new Project(sandbox.settings(place, "", "refused"), sandbox.facts);
  const { exit, stderr } = await project.run(["deliver"], { TMPDIR: project.folder });
  expect(stderr).toMatch(/\.\.\/evil/);
  expect(exit).toBe(3);
  expect(readdirSync(project.folder)).toEqual(["courier.yaml"]);
});

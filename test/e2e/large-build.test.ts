import { createWordReader } from "../../src/core/build/fingerprints/mentions.ts";
import { createFolderBuild } from "../../src/gather/folder-build.ts";
import { readFile } from "../../src/gather/read-file.ts";
import { startHelper } from "../../src/gather/reading-helpers.ts";
import type { Survey } from "../../src/results/survey.ts";
import { survey } from "../../src/workflows/survey.ts";
import { resolve } from "node:path";
import { temporaryFolder, writeFiles } from "../support/builds.ts";
import { memoryRules } from "../support/memory-build.ts";
import { Project } from "../support/program.ts";

/** 36 pages, two of which lack something. */
function writePages(paragraphs: number): { folder: string; paths: string[] } {
  const files: Record<string, string> = { "app-1f2e3d4c.js": "export {};" };
  for (let page = 0; page < 36; page++)
    files[page === 0 ? "index.html" : `page-${page}.html`] =
      `<script src="app-1f2e3d4c.js"></script><img src="${page % 20 === 7 ? "gone" : "there"}.png">${`<p>tide ${page}`.repeat(paragraphs)}`;
  files["there.png"] = "png";
  return { folder: writeFiles(temporaryFolder("large"), files), paths: Object.keys(files) };
} // prettier-ignore

test("a large build is read with the help of other threads, and says the same as when it is read by one", async () => {
  const { folder } = writePages(100_000);
  const project = new Project(`site: Pelican Sound Ferries\nbuild: { folder: ${folder} }\ndestinations: { here: { url: "http://127.0.0.1:9", store: { kind: folder, folder: out } } }\n`, { accessKeyId: "none", secretAccessKey: "none" });
  const [byProgram, byOne] = [
    JSON.parse((await project.run(["survey", "--format", "json"])).stdout) as Survey,
    await survey(createFolderBuild(folder), memoryRules(), undefined),
  ];
  const of = ({ problems, files }: Survey): unknown => ({
    problems: JSON.parse(JSON.stringify(problems)),
    files: files.map(({ path, role, size, wire, gzip }) => ({ path, role, size, wire, gzip })),
  });
  expect(of(byProgram)).toEqual(of(byOne));
  expect(byProgram.problems.map(({ code }) => code)).toEqual(["missing-asset", "missing-asset", "no-not-found-page"]);
}); // prettier-ignore

test("the thread that is shipped reads as this one does, and one that ends gives up what it had", async () => {
  const { folder, paths } = writePages(100);
  const shapes = { ends: [], plain: [] };
  const files = paths.map((path) => ({ path, place: `${folder}/${path}`, size: 1 }));
  const thread = resolve("dist/reading-thread.js");
  const helper = startHelper({ shapes, readsContents: true }, thread);
  const gone = { path: "gone.html", place: `${folder}/gone.html`, size: 1 };
  const here = files.map((file) => readFile(file, createWordReader(shapes), (_, read) => read()));
  expect(await helper.read([...files, gone])).toEqual([...here, undefined]);
  const late = helper.read(files);
  helper.end();
  expect([await late, await helper.read(files)]).toEqual([[], []]);
});

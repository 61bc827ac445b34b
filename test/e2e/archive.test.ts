import { createWriteStream, readdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { pipeline } from "node:stream/promises";
import { createGzip } from "node:zlib";
import { pack, type Header } from "tar-stream";
import { temporaryFolder } from "../support/builds.ts";
import { Project, RunningSandbox } from "../support/program.ts";
import { toZip, type ZipEntry } from "../support/zip.ts";

let sandbox: RunningSandbox;
beforeAll(async () => {
  sandbox = await RunningSandbox.start();
});
afterAll(() => sandbox.stop());

const FILES = {
  "index.html": "<p>ferry</p>",
  "news/index.html": "<p>news</p>",
  "photos/boat.txt": "x".repeat(5000),
};

async function writeTar(
  name: string,
  entries: readonly (Partial<Header> & { name: string; text?: string })[],
): Promise<string> {
  const file = join(temporaryFolder("archive"), name);
  const archive = pack();
  for (const { text = "", ...header } of entries) archive.entry(header, text);
  archive.finalize();
  await pipeline([archive, ...(name.endsWith("gz") ? [createGzip()] : []), createWriteStream(file)] as never);
  return file;
}

const pages = (count: number): { name: string; text: string }[] =>
  Array.from({ length: count }, (_, index) => ({ name: `${index}.html`, text: "<p>ferry</p>" }));

function writeZip(entries: readonly ZipEntry[]): string {
  const file = join(temporaryFolder("archive"), "site.zip");
  writeFileSync(file, toZip(entries));
  return file;
}

test("a build comes out of .tar, .tar.gz and .zip alike, and nothing of it stays behind", async () => {
  const entries = Object.entries(FILES).map(([name, text]) => ({ name: `./${name}`, text }));
  const archives = [
    await writeTar("site.tar", entries),
    await writeTar("site.tar.gz", entries),
    writeZip(Object.entries(FILES).map(([name, text]) => ({ name, text }))),
  ];
  for (const [index, archive] of archives.entries()) {
    const project = new Project(sandbox.settings(archive, "", `archive-${index}`), sandbox.facts);
    const outcome = await project.run(["deliver", "--format", "json"], { TMPDIR: project.folder });
    expect(outcome).toMatchObject({ exit: 0 });
    expect(
      (JSON.parse(outcome.stdout) as { changes: { key: string }[] }).changes.map(({ key }) => key),
    ).toEqual(Object.keys(FILES));
    expect(readdirSync(project.folder)).toEqual(["courier.yaml"]);
  }
});

test.each<[string, () => Promise<string>, RegExp]>([
  [
    "a name that climbs out",
    () => writeTar("site.tar", [{ name: "../../evil.html", text: "x" }]),
    /the name \.\.\/\.\.\/evil\.html leads out of it/,
  ],
  [
    "an absolute name",
    () => writeTar("site.tar.gz", [{ name: "/etc/evil", text: "x" }]),
    /the name \/etc\/evil leads out of it/,
  ],
  [
    "a link",
    () => writeTar("site.tar", [{ name: "index.html", type: "symlink", linkname: "/etc/passwd" }]),
    /index\.html is a symlink, and only files are shipped/,
  ],
  [
    "a link in a zip",
    () => Promise.resolve(writeZip([{ name: "index.html", text: "/etc/passwd", mode: 0o120777 }])),
    /index\.html is a link or a special file/,
  ],
  [
    "a name that climbs out of a zip",
    () => Promise.resolve(writeZip([{ name: "../evil", text: "x" }])),
    /\.\.\/evil/,
  ],
  [
    "a bomb",
    () => writeTar("site.tar.gz", [{ name: "index.html", text: "\0".repeat(120_000_000) }]),
    /it unpacks to far more than it holds/,
  ],
  [
    "a file that is no archive",
    () => {
      const file = join(temporaryFolder("archive"), "site.zip");
      writeFileSync(file, "not a zip");
      return Promise.resolve(file);
    },
    /it can't be read/,
  ],
  [
    "a tar that is cut off between two files",
    async () => {
      const file = await writeTar("site.tar", [...pages(20)]);
      writeFileSync(file, readFileSync(file).subarray(0, 18 * 1024));
      return file;
    },
    /it is cut off: the mark of its end is missing/,
  ],
  [
    "a tar that is cut off behind a file of zeros",
    async () => {
      const file = await writeTar("site.tar", [{ name: "index.html", text: "\0".repeat(4096) }]);
      writeFileSync(file, readFileSync(file).subarray(0, 512 + 4096));
      return file;
    },
    /it is cut off/,
  ],
  [
    "a zip in which a byte is another",
    () => {
      const file = writeZip([{ name: "index.html", text: `<p>${"tide".repeat(50)}</p>`, damaged: true }]);
      return Promise.resolve(file);
    },
    /it is damaged: the bytes of index\.html/,
  ],
  [
    "a cut-off archive",
    async () => {
      const file = await writeTar("site.tar.gz", [{ name: "a", text: "x".repeat(100_000) }]);
      writeFileSync(file, readFileSync(file).subarray(0, 60));
      return file;
    },
    /it can't be read/,
  ],
])("%s is refused, and nothing is left behind", async (_, make, message) => {
  const project = new Project(sandbox.settings(await make(), "", "refused"), sandbox.facts);
  const { exit, stderr } = await project.run(["deliver"], { TMPDIR: project.folder });
  expect(stderr).toMatch(message);
  expect(exit).toBe(3);
  expect(readdirSync(project.folder)).toEqual(["courier.yaml"]);
});

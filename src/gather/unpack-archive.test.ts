import { createWriteStream, mkdtempSync, readdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { pipeline } from "node:stream/promises";
import { createGzip } from "node:zlib";
import { pack, type Header } from "tar-stream";
import { temporaryFolder, walk } from "../../test/support/builds.ts";
import { toZip, type ZipEntry } from "../../test/support/zip.ts";
import { unpackArchive } from "./unpack-archive.ts";

/** What is unpacked goes where nobody else unpacks anything. */
const before = process.env.TMPDIR;
let unpacking: string;
beforeEach(() => {
  unpacking = mkdtempSync(join(temporaryFolder("unpack"), "all-"));
  process.env.TMPDIR = unpacking;
});
afterAll(() => {
  if (before === undefined) delete process.env.TMPDIR;
  else process.env.TMPDIR = before;
});

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
    await writeTar("site.tar.gz", [{ name: "news/", type: "directory" }, ...entries]),
    writeZip([{ name: "news/", text: "" }, ...Object.entries(FILES).map(([name, text]) => ({ name, text }))]),
  ];
  for (const archive of archives) {
    const { folder, dispose } = await unpackArchive(archive);
    const found = walk(folder).map((path) => [path, readFileSync(join(folder, path), "utf8")]);
    expect(Object.fromEntries(found)).toEqual(FILES);
    dispose();
    expect(readdirSync(unpacking)).toEqual([]);
  }
});

test("what is no file is no build", async () => {
  for (const file of [unpacking, join(unpacking, "missing.zip")])
    await expect(unpackArchive(file)).rejects.toMatchObject({ code: "no-build", data: { folder: file } });
});

test.each<[string, () => Promise<string>, RegExp]>([
  ["a name that climbs out", () => writeTar("site.tar", [{ name: "../../evil.html", text: "x" }]), /the name \.\.\/\.\.\/evil\.html leads out of it/],
  ["an absolute name", () => writeTar("site.tar.gz", [{ name: "/etc/evil", text: "x" }]), /the name \/etc\/evil leads out of it/],
  ["a link", () => writeTar("site.tar", [{ name: "index.html", type: "symlink", linkname: "/etc/passwd" }]), /index\.html is a symlink, and only files are shipped/],
  ["a link in a zip", () => Promise.resolve(writeZip([{ name: "index.html", text: "/etc/passwd", mode: 0o120777 }])), /index\.html is a link or a special file/],
  ["a name that climbs out of a zip", () => Promise.resolve(writeZip([{ name: "../evil", text: "x" }])), /\.\.\/evil/],
  ["the name of another drive", () => writeTar("site.tar", [{ name: "C:/evil.html", text: "x" }]), /the name C:\/evil\.html leads out of it/],
  ["a name with a backslash", () => writeTar("site.tar", [{ name: "..\\evil.html", text: "x" }]), /leads out of it/],
  [
    "one name twice",
    () =>
      writeTar("site.tar", [
        { name: "a.html", text: "x" },
        { name: "a.html", text: "y" },
      ]),
    /it can't be read/,
  ],
  ["a bomb", () => writeTar("site.tar.gz", [{ name: "index.html", text: "\0".repeat(120_000_000) }]), /it unpacks to far more than it holds/],
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
])("%s is refused, and nothing is left behind", async (_, make, reason) => {
  await expect(unpackArchive(await make())).rejects.toMatchObject({ code: "archive-refused", data: { reason: expect.stringMatching(reason) as unknown } });
  expect(readdirSync(unpacking)).toEqual([]);
}); // prettier-ignore

test("on Windows an archive with names that it can't hold is refused before a device is written to", async () => {
  for (const name of ["con", "maps/aux.html", "a.", "map:y", "tide?"]) {
    const file = await writeTar("site.tar", [
      { name: "index.html", text: "i" },
      { name, text: "x" },
    ]);
    await expect(unpackArchive(file, "win32")).rejects.toMatchObject({ code: "archive-refused", data: { reason: `Windows can't hold a file of the name ${name}` } }); // prettier-ignore
    expect(readdirSync(unpacking)).toEqual([]);
  }
  const file = await writeTar("site.tar", [{ name: "./console/index.html", text: "i" }]);
  (await unpackArchive(file, "win32")).dispose();
});

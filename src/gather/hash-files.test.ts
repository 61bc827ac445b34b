import { createHash } from "node:crypto";
import { mkdirSync, rmSync } from "node:fs";
import { join } from "node:path";
import { temporaryFolder, writeFiles } from "../../test/support/builds.ts";
import { hashBuild, hashStream } from "./hash-files.ts";
import { createWordReader } from "../core/build/fingerprints/mentions.ts";
import { openHashCache } from "./hash-cache.ts";
import { readBuildFile, readFile, WHOLE_BYTES, type FileToRead, type ReadFile } from "./read-file.ts";
import type { HelperTask, ReadingHelper } from "./reading-helpers.ts";
import { scanBuild } from "./scan-build.ts";
import { toUnreadable } from "./unreadable.ts";

const hashOf = (text: string): string => createHash("sha256").update(text).digest("hex");

test("a large file is hashed as a small one is, though nothing is looked for in it, which is said of text", async () => {
  const large = "import './part.js';".padEnd(WHOLE_BYTES + 1, "x");
  const files = { "app.js": large, "map.bin": large, "whole.js": large.slice(0, WHOLE_BYTES) };
  const folder = writeFiles(temporaryFolder("hash"), files);
  const scanned = Object.entries(files).map(([path, { length: size }]) => ({ path, size, mtimeMs: 0 }));
  const build = await hashBuild(folder, { files: scanned, withheld: [], special: [] } as never);
  const seen = build.files.map(({ path, size, hash, head, references, unread }) => ({
    ...{ path, size, hash, unread, head: Buffer.from(head).toString() },
    names: references.length,
  }));
  const facts = { size: WHOLE_BYTES + 1, hash: hashOf(large), head: large.slice(0, 512), names: 0 };
  expect(seen).toEqual([
    { ...facts, path: "app.js", unread: "large" },
    { ...facts, path: "map.bin", unread: undefined },
    // Its type is told by its name.
    { path: "whole.js", size: WHOLE_BYTES, hash: hashOf(files["whole.js"]), unread: undefined, head: "", names: 1 },
  ]);
}); // prettier-ignore

test("a stream has the hash of all its chunks", async () => {
  const chunks = (async function* () {
    for (const text of ["Cape ", "Wren"]) yield await Promise.resolve(Buffer.from(text));
  })();
  expect(await hashStream(chunks)).toBe(hashOf("Cape Wren"));
});

test.each([
  ["ENOENT", "a.html", "build-changed", { path: "a.html" }],
  ["ENOENT", "caf\ufffd.html", "build-unreadable", { path: "caf\ufffd.html", why: "not-utf8" }],
  ["EACCES", "a.html", "build-unreadable", { path: "a.html", why: "denied", code: "EACCES" }],
  ["EPERM", "", "build-unreadable", { path: ".", why: "denied", code: "EPERM" }],
  ["ENAMETOOLONG", "a", "build-unreadable", { path: "a", why: "too-long", code: "ENAMETOOLONG" }],
  ["EIO", "a", "build-unreadable", { path: "a", why: "failed", code: "EIO" }],
])("%s at '%s' is %s", (code, path, failure, data) => {
  expect(toUnreadable(path, Object.assign(new Error(code), { code }))).toMatchObject({ code: failure, data });
});

test("a file that can't be read says so, whatever it is", () => {
  const folder = temporaryFolder("unreadable");
  mkdirSync(join(folder, "folder"));
  expect(() => readBuildFile(join(folder, "folder"), "folder")).toThrow(expect.objectContaining({ code: "build-unreadable" }) as Error); // prettier-ignore
  expect(() => readBuildFile(join(folder, "gone"), "gone")).toThrow(expect.objectContaining({ code: "build-changed" }) as Error); // prettier-ignore
});

/** A helper of this thread, which says what it was asked and answers as it is told. */
function makeHelper(answer: (file: FileToRead, asked: number, task: HelperTask) => ReadFile | undefined) {
  const asked: string[] = [];
  const start = (task: HelperTask): ReadingHelper[] => [
    {
      read: async (files) => {
        await new Promise((done) => setImmediate(done));
        return files.map((file) => answer(file, asked.push(file.path), task));
      },
      end: () => asked.push("end"),
    },
  ];
  return { asked, start };
}

const READ = (file: FileToRead, _: number, { shapes, readsContents }: HelperTask): ReadFile =>
  readFile(file, createWordReader(shapes), (_hash, read) => (readsContents ? read() : undefined));

test.each<[string, Parameters<typeof makeHelper>[0], boolean]>([
  ["reads everything", READ, false],
  ["only hashes, since much is known already", READ, true],
  ["fails at every third file", (file, asked, task) => (asked % 3 === 0 ? undefined : READ(file, asked, task)), false],
  ["gives up", () => undefined, false],
])("a build reads the same with a helper that %s", async (_, answer, knowsMuch) => {
  const texts: Record<string, string> = {};
  for (let index = 0; index < 300; index++) {
    const script = `app-${hashOf(String(index)).slice(0, 8)}.js`;
    texts[`page-${index}.html`] = `<script src="${script}"></script>${"x".repeat(40_000)}`;
    texts[script] = `import "./page-${index % 7}.html"`;
  }
  const folder = writeFiles(temporaryFolder("helped"), texts);
  const scan = scanBuild(folder, []);
  const { asked, start } = makeHelper(answer);
  const cache = { folder: temporaryFolder("helped-cache"), nowMs: 0 };
  // Nothing is settled yet: every file is read, and of most the content is known.
  if (knowsMuch) await hashBuild(folder, { ...scan, files: scan.files.slice(0, 500) }, openHashCache(cache, folder), () => []);
  const helped = await hashBuild(folder, scan, openHashCache(cache, folder), start);
  expect(helped).toEqual(await hashBuild(folder, scan, undefined, () => []));
  expect([asked.length > 60, asked.length < 600, asked.filter((path) => path === "end")]).toEqual([true, true, ["end"]]);
}); // prettier-ignore

test("helpers end where a file can't be read, and it is told which", async () => {
  const folder = writeFiles(temporaryFolder("helped-gone"), { "a.html": "a", "b.html": "b" });
  const scan = scanBuild(folder, []);
  rmSync(join(folder, "b.html"));
  const { asked, start } = makeHelper(() => undefined);
  await expect(hashBuild(folder, scan, undefined, start)).rejects.toMatchObject({
    code: "build-changed",
    data: { path: "b.html" },
  });
  expect(asked.at(-1)).toBe("end");
});

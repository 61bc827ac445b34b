import { createHash } from "node:crypto";
import { mkdirSync } from "node:fs";
import { join } from "node:path";
import { temporaryFolder, writeFiles } from "../../test/support/builds.ts";
import { hashBuild, hashStream, readBuildFile, WHOLE_BYTES } from "./hash-files.ts";
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

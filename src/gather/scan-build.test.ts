import { symlinkSync } from "node:fs";
import { createServer } from "node:net";
import { join } from "node:path";
import { temporaryFolder, writeFiles } from "../../test/support/builds.ts";
import { needing } from "../../test/support/needing.ts";
import { scanBuild } from "./scan-build.ts";

const linkTest = needing("symbolic links");

const scan = (folder: string, exclude: readonly string[] = []) => {
  const { files, withheld, special } = scanBuild(folder, exclude);
  return { files: files.map(({ path, size }) => `${path} ${size}`), withheld, special };
};

test("files in order, with their sizes; what must never be shipped is told, litter is not, what is excluded is not there", () => {
  const folder = writeFiles(temporaryFolder("scan"), {
    "b.html": "bb",
    "a/z.js": "1",
    "a.html": "",
    "maps/a.map": "{}",
    "deep/maps/b.map": "{}",
    ".DS_Store": "x",
    "a/Thumbs.db": "x",
    ".ENV.local": "S=1",
    "a/server.key": "k",
    "node_modules/x/index.js": "1",
  });
  expect(scan(folder, ["maps/**", "**/*.map"])).toEqual({
    files: ["a.html 0", "a/z.js 1", "b.html 2"],
    withheld: [".ENV.local", "a/server.key", "node_modules"],
    special: [],
  });
});

linkTest("a link is what it leads to, once for each way there; one into what is withheld is withheld", () => {
  const folder = writeFiles(temporaryFolder("scan"), { "a/x.txt": "x", ".git/HEAD": "ref" });
  symlinkSync("a", join(folder, "b"));
  // Back up: the way ends there.
  symlinkSync("..", join(folder, "a", "up"));
  symlinkSync("a/x.txt", join(folder, "c.txt"));
  symlinkSync(".git", join(folder, "history"));
  expect(scan(folder)).toEqual({
    files: ["a/x.txt 1", "b/x.txt 1", "c.txt 1"],
    withheld: [".git", "history"],
    special: [],
  });
});

linkTest.each([
  ["out of the build", "/", "link-leaves-build", { path: "l", target: "/" }],
  ["into nothing", "gone", "link-leaves-build", { path: "l", target: "nothing that is there" }],
  ["to itself", "l", "link-leaves-build", { path: "l", target: "nothing that is there" }],
])("a link that leads %s is refused", (_, target, code, data) => {
  const folder = writeFiles(temporaryFolder("scan"), { "a.html": "x" });
  symlinkSync(target, join(folder, "l"));
  expect(() => scan(folder)).toThrow(expect.objectContaining({ code, data }) as Error);
});

linkTest("links that multiply are refused, and so is what is no folder", () => {
  const folder = writeFiles(temporaryFolder("scan"), { "0/a.html": "x" });
  for (let level = 1; level <= 11; level++)
    for (const name of ["l", "r"]) {
      writeFiles(folder, { [`${level}/k`]: "" });
      symlinkSync(`../${level - 1}`, join(folder, String(level), name));
    }
  expect(() => scan(folder)).toThrow(expect.objectContaining({ code: "links-multiply", data: { path: expect.any(String) as string, most: 1000 } }) as Error); // prettier-ignore
  // What is left out need not be walked.
  expect(scan(folder, ["*/[lr]/**"]).files).toHaveLength(12);
  for (const none of ["gone", "0/a.html"])
    expect(() => scan(join(folder, none))).toThrow(expect.objectContaining({ code: "no-build" }) as Error);
});

needing("sockets as files")("what is neither file nor folder is left out by name", async () => {
  const folder = writeFiles(temporaryFolder("scan"), { "a.html": "x" });
  const server = createServer().listen(join(folder, "socket"));
  await new Promise((done) => server.once("listening", done));
  expect(scan(folder)).toEqual({ files: ["a.html 1"], withheld: [], special: ["socket"] });
  server.close();
});

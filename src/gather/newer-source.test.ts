import { utimesSync } from "node:fs";
import { join } from "node:path";
import { temporaryFolder, writeFiles } from "../../test/support/builds.ts";
import { findNewerSource } from "./newer-source.ts";

const BUILT_MS = Date.UTC(2026, 0, 1);

/** A project whose files were written before or after its build, by name. */
function project(files: Record<string, "before" | "at once" | "after">): string {
  const folder = writeFiles(
    temporaryFolder("project"),
    Object.fromEntries(Object.keys(files).map((path) => [path, "x"])),
  );
  for (const [path, when] of Object.entries(files)) {
    const at = new Date(BUILT_MS + { before: -1000, "at once": 0, after: 1000 }[when]);
    utimesSync(join(folder, path), at, at);
  }
  return folder;
}

test.each<[string, Parameters<typeof project>[0], string | undefined]>([
  ["nothing newer", { "src/a.ts": "before", "src/b.ts": "at once" }, undefined],
  ["one behind others, deep down", { "src/a.ts": "before", "src/a/b.ts": "before", "src/z/deep/c.ts": "after" }, "src/z/deep/c.ts"],
  ["one in a later folder", { "src/a.ts": "before", "content/a.md": "after" }, "content/a.md"],
  ["no folder of sources", { "notes/a.md": "after", "a.md": "after" }, undefined],
  ["what others made, and what is hidden", { "src/node_modules/x.js": "after", "src/.cache/x": "after", "src/.x": "after" }, undefined],
])("%s", (_, files, found) => {
  const folder = project(files);
  expect(findNewerSource(folder, join(folder, "dist"), BUILT_MS)).toBe(found);
}); // prettier-ignore

test("where the build lies among the sources, these tell nothing", () => {
  const folder = project({
    "public/dist/index.html": "after",
    "public/logo.svg": "after",
    "src/a.ts": "before",
  });
  expect(findNewerSource(folder, join(folder, "public/dist"), BUILT_MS)).toBeUndefined();
  expect(findNewerSource(folder, join(folder, "public"), BUILT_MS)).toBeUndefined();
});

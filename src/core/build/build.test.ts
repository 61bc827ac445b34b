import fc from "fast-check";
import { memoryBuild, memoryRules } from "../../../test/support/memory-build.ts";
import { analyseBuild } from "./analysis.ts";
import { findContentProblems } from "./content-check.ts";
import { findBuild, guessSiteName, type ProjectLook } from "./find-build.ts";
import { decideParcels } from "./parcels.ts";
import { findCssReferences } from "./references/css.ts";
import { findScriptReferences } from "./references/javascript.ts";
import { createLineFinder } from "./references/reference.ts";
import { holds } from "../../../test/support/seeds.ts";

const RULES = memoryRules();
const FILES = {
  "index.html": '<script src="assets/app-1f2e3d4c.js"></script>',
  "news/index.html": "n",
  "assets/app-1f2e3d4c.js": "import './part.js'",
  "assets/part.js": "1",
  "sw.js": "importScripts('/lib/core.js')",
  "lib/core.js": "2",
};

test("parcels don't depend on the order of the files, and stand sorted by key", async () => {
  const build = memoryBuild(FILES).read([]);
  const expected = decideParcels(build, RULES, new Map());
  expect(expected.map(({ key, role }) => `${role} ${key}`)).toEqual([
    "fingerprinted assets/app-1f2e3d4c.js", "asset assets/part.js", "entry index.html", "worker lib/core.js", "page news/index.html", "worker sw.js",
  ]); // prettier-ignore
  await holds(
    fc.property(fc.shuffledSubarray([...build.files], { minLength: build.files.length }), (files) => {
      expect(decideParcels({ ...build, files }, RULES, new Map())).toEqual(expected);
    }),
    { numRuns: 50, seeds: [4] },
  );
});

test("what is wrong with contents: secrets, files that never go, maps, pinned names, an immutable name with other bytes", () => {
  const build = memoryBuild({ ...FILES, "app.js.map": "m" }).read([]);
  const { wanted, findings } = analyseBuild(build, RULES, undefined);
  const [first, ...rest] = build.files;
  const files = first ? [{ ...first, secrets: ["private-key" as const] }, ...rest] : [];
  const pinned = { kind: "asset", url: "/lib/core.js", line: 3, from: "index.html", to: "lib/core.js", address: "/lib/core.js", isPinned: true } as const; // prettier-ignore
  const found = findContentProblems(
    { ...build, files, withheld: [".env"], newerSource: "src/a.ts" },
    {
      parcels: wanted.parcels,
      graph: { ...findings.graph, references: [pinned] },
      earlier: new Map([["assets/app-1f2e3d4c.js", { hash: "other", role: "fingerprinted" as const }]]),
    },
  );
  expect(found.map(({ code, path = "", severity }) => `${severity} ${code} ${path}`)).toEqual([
    `error never-ship ${first?.path ?? ""}`, "error never-ship .env", "note source-maps app.js.map", "warning old-build ", "warning pinned-name index.html", "error fingerprint-reused assets/app-1f2e3d4c.js",
  ]); // prettier-ignore
});

test.each<[ProjectLook, string | undefined, boolean | undefined]>([
  [{ names: ["vite.config.ts"], pageFolders: ["dist", "build"] }, "dist", true],
  [{ names: ["angular.json"], pageFolders: ["dist/ferries/browser"] }, "dist/ferries/browser", true],
  ...([["next.config.mjs", "out"], ["gatsby-config.js", "public"], ["docusaurus.config.ts", "build"], [".eleventy.js", "_site"], ["eleventy.config.cjs", "_site"], ["webpack.config.js", "dist"], ["nuxt.config.ts", ".output/public"], ["svelte.config.js", "build"], ["hugo.toml", "public"], ["_config.yml", "_site"], ["angular.json", "dist"]] as const)
    .map(([name, folder]) => [{ names: [name], pageFolders: [] }, folder, false] as [ProjectLook, string, boolean]),
  ...["dist", "build", "out", "_site", "public", "www", "site"].map((folder) => [{ names: [], pageFolders: ["a", "b", folder] }, folder, true] as [ProjectLook, string, boolean]),
  [{ names: [], pageFolders: [".", "html"] }, "html", true],
  [{ names: [], pageFolders: ["a", "b"] }, undefined, undefined],
])("of a project with %j the build is in %s", (look, folder, isThere) => {
  const found = findBuild(look);
  expect([found?.folder, found?.isThere]).toEqual([folder, isThere]);
}); // prettier-ignore

test.each([
  [{ title: "Timetables | Pelican Sound" }, "Timetables"],
  [{ packageName: "@pelican/sound-ferries" }, "Sound Ferries"],
  [{ title: " ", repository: "pelican_sound" }, "Pelican Sound"],
  [{}, undefined],
])("a site's name is guessed from %j: %s", (look, name) => {
  expect(guessSiteName({ names: [], pageFolders: [], ...look })).toBe(name);
});

test("lines are counted as an editor counts them", async () => {
  await holds(
    fc.property(fc.array(fc.constantFrom("a", "\n", "é"), { maxLength: 40 }), fc.nat(40), (letters, at) => {
      const text = letters.join("");
      const offset = Math.min(at, text.length);
      expect(createLineFinder(text)(offset)).toBe(text.slice(0, offset).split("\n").length);
    }),
    { seeds: [5] },
  );
});

test("what style sheets and scripts load, with the line in the page that they stand in", () => {
  const css = '@import "a.css";\n.x { background: url(b.png) } /* url(c.png) */';
  expect(findCssReferences(css, 10)).toEqual([
    { kind: "asset", url: "a.css", line: 10 },
    { kind: "decoration", url: "b.png", line: 11 },
  ]);
  const script =
    'import x from "./a.js";\nconst y = import("./b.js"); // import "./c.js"\nnew URL("d.wasm", import.meta.url)';
  expect(findScriptReferences(script, 5).map(({ url, line }) => `${url}:${line}`)).toEqual(expect.arrayContaining(["./a.js:5", "./b.js:6", "d.wasm:7"])); // prettier-ignore
  expect(findScriptReferences(script).some(({ url }) => url === "./c.js")).toBe(false);
});

import { memoryBuild, memoryRules } from "../../../test/support/memory-build.ts";
import { analyseBuild } from "./analysis.ts";
import { findStableNames } from "./stable-names.ts";

const find = (files: Record<string, string>): unknown => {
  const { wanted, findings } = analyseBuild(memoryBuild(files).read([]), memoryRules(), undefined);
  return findStableNames(wanted.parcels, findings.graph)[0]?.facts;
};
const script = (bytes: number): string => `//${"x".repeat(bytes - 2)}`;

test("scripts and styles without a hash are counted with the pages that load them, by whatever way", () => {
  const found = find({
    "index.html": '<script type=module src="/js/app.js"></script>',
    "news.html": '<link rel=stylesheet href="/site.css">',
    "plain.html": "no script",
    "js/app.js": `import "./part.js";${script(10_000)}`,
    "js/part.js": script(20_000),
    "site.css": "p{}",
    "js/unused.js": script(90_000),
  });
  expect(found).toEqual({ bytes: 30_022, files: 3, pages: 2, glob: "js/*.{js,css}" });
});

test("a little beside much that carries hashes is not worth a word", () => {
  const files = (stable: number): Record<string, string> => ({
    "index.html": '<script src="/assets/app-2f0d3e8a.js"></script><script src="/print.js"></script>',
    "assets/app-2f0d3e8a.js": script(40_000),
    "print.js": script(stable),
  });
  expect(find(files(9000))).toBeUndefined();
  expect(find(files(20_000))).toEqual({ bytes: 20_000, files: 1, pages: 1, glob: "*.{js,css}" });
  expect(find({ "index.html": "x" })).toBeUndefined();
});

import { memoryBuild, memoryRules } from "../../../test/support/memory-build.ts";
import { analyseBuild } from "./analysis.ts";
import { createFirstVisitFinder } from "./first-visit.ts";

const visit = (files: Record<string, string>, page = "index.html"): string[] => {
  const { findings } = analyseBuild(memoryBuild(files).read([]), memoryRules(), undefined);
  return [...createFirstVisitFinder(findings.graph)(page)].sort();
};
const empty = (...paths: string[]): Record<string, string> =>
  Object.fromEntries(paths.map((path) => [path, ""]));

test("a first visit loads the page, its scripts with what they import, styles with fonts and pictures, and frames", () => {
  const files = {
    "index.html":
      '<link rel=stylesheet href=/a.css><script type=module src=/a.js></script><img src=/sea.png><iframe src=/map.html></iframe><link rel=preload as=font href=/early.woff2>',
    "a.js": 'import "./part.js"; import("./lazy.js");',
    "part.js": 'import "./a.js"',
    "a.css": "@import 'b.css'; @font-face { src: url(f.woff2), url(f.woff) } p { background: url(wave.svg) }",
    "map.html": "<script src=/map.js></script>",
    "news.html": "<img src=/news.png>",
    ...empty("b.css", "lazy.js", "f.woff2", "f.woff", "wave.svg", "sea.png", "map.js", "early.woff2", "news.png"),
  };
  expect(visit(files)).toEqual(
    ["a.css", "a.js", "b.css", "early.woff2", "f.woff2", "index.html", "map.html", "map.js", "part.js", "sea.png", "wave.svg"],
  );
  expect(visit(files, "news.html")).toEqual(["news.html", "news.png"]);
}); // prettier-ignore

test("what comes later is no part of it: lazy pictures, further sizes, films, icons, hints, social pictures", () => {
  const page = [
    '<img loading=lazy src=/below.png><img src=/one.png srcset="/two.png 2x"><img srcset="/s1.png, /s2.png 2x">',
    "<picture><source srcset=/p.avif><img src=/p.png></picture><video src=/film.mp4 poster=/still.png></video>",
    '<link rel=icon href=/i.png><link rel=prefetch href=/next.js><link rel=manifest href=/m.webmanifest><meta property="og:image" content="/og.png">',
  ].join("");
  const names = "below.png one.png two.png s1.png s2.png p.avif p.png film.mp4 still.png i.png next.js og.png".split(" ");
  expect(visit({ "index.html": page, "m.webmanifest": '{"icons":[{"src":"/i.png"}]}', ...empty(...names) })).toEqual(
    ["index.html", "one.png", "p.png", "s1.png"],
  );
}); // prettier-ignore

import { findReferences } from "./find.ts";
import { parseSrcset } from "./html.ts";
import { readTags } from "./tags.ts";
import { buildReferenceGraph, findReferenceProblems } from "../reference-graph.ts";

const shown = (path: string, text: string): string[] =>
  findReferences(path, text).map(({ kind, url, line }) => `${line} ${kind} ${url}`);

test("a page's references are read as a browser reads them, comments and texts left out", () => {
  const html = `<!doctype html>
<link rel="stylesheet" href="/a.css"><link rel=modulepreload href=b.js><link rel="canonical" href="/x/"><link rel="preconnect" href="https://cdn.example">
<!-- <script src="/not.js"></script> -->
<script type="module" src="./app.js"></script><script>import("./lazy.js"); const a = "/pictures/boat.png";</script>
<script type="application/json">{"src":"/data-only.js"}</script>
<img src="one.png" srcset="two.png 2x, three.png 3x" alt="src=/no.png"><a href="/news/">News</a><a href=" #top ">Top</a>
<style>@import "more.css"; body { background: url("sea.jpg") }</style><p style="background:url(wave.svg)">url(/not-me.png)</p>
<template><img src="/in-template.png"></template><video poster="p.jpg"><source src="v.mp4"></video>
<meta property="og:image" content="https://www.pelicansound.example/og.png">`;
  expect(shown("index.html", html).sort()).toEqual([
    "2 asset /a.css", "2 decoration b.js", "2 link /x/", "4 asset ./app.js", "4 asset ./lazy.js", "4 guess /pictures/boat.png",
    "6 asset one.png", "6 asset two.png", "6 asset three.png", "6 link /news/", "7 asset more.css", "7 decoration sea.jpg", "7 decoration wave.svg",
    "8 asset p.jpg", "8 asset v.mp4", "8 asset /in-template.png", "9 decoration https://www.pelicansound.example/og.png",
  ].sort()); // prettier-ignore
});

test("style sheets by their tokens: comments, strings and names that only look like it are not addresses", () => {
  const css = `/* url(no.png) */ @charset "utf-8"; @import url("a.css") screen; @import 'b.css';
.x::after { content: "url(no2.png)" } .y { background: URL( c.png ), url('d e.png'), URL("f.png") } .urlish { color: red }`;
  expect(shown("a.css", css)).toEqual(["1 asset a.css", "1 asset b.css", "2 decoration c.png", "2 decoration d e.png", "2 decoration f.png"]);
}); // prettier-ignore

test("scripts by their syntax: imports, re-exports, new URL of the module; bare names and comments are not files", () => {
  const js = `// import "./no.js"
import a from "./a.js"; import "bare-name"; export * from "../b.js"; export { c } from "/c.js";
const d = await import(\`./d.js\`), e = new URL("e.wasm", import.meta.url), f = new URL("f.png", base), g = "/g/h.css", i = "a sentence with dots.js in it";`;
  expect(shown("x.js", js).sort()).toEqual(
    ["2 asset ../b.js", "2 asset ./a.js", "2 asset /c.js", "3 asset ./d.js", "3 decoration e.wasm", "3 guess /g/h.css", "3 guess f.png"].sort(),
  );
  expect(shown("classic.js", "var a = 1; with (a) { b('/x.js') }")).toEqual(["1 guess /x.js"]);
  expect(shown("broken.js", "this is { not ( a script")).toEqual([]);
}); // prettier-ignore

test("a script that carries a large table is read like any other", () => {
  const table = `import "./a.js"; export default [${"1,".repeat(200_000)}];`;
  expect(findReferences("data.js", table).map(({ url }) => url)).toEqual(["./a.js"]);
});

test("web manifests name their icons and where they start; a damaged one names nothing", () => {
  expect(shown("site.webmanifest", '{\n"icons":[{"src":"/i.png"}],\n"start_url":"/"}')).toEqual([
    "2 decoration /i.png",
    "3 link /",
  ]);
  expect(shown("manifest.json", "{")).toEqual([]);
  expect(shown("notes.txt", "/a.js")).toEqual([]);
});

test.each([
  ["a.png 1x, b.png 2x", ["a.png", "b.png"]],
  ["a.png, b.png 300w,c.png", ["a.png", "b.png", "c.png"]],
  ["data:image/png;base64,AA== 1x, b.png", ["data:image/png;base64,AA==", "b.png"]],
  ["  ", []],
])("the candidates of %j are %j", (srcset, urls) => {
  expect(parseSrcset(srcset)).toEqual(urls);
});

const RULES = {
  addressRules: { forms: ["file", "folder"] as const, basePath: "/", indexName: "index.html" },
  clientRoutes: false,
  isRedirected: () => false,
};
const problemsOf = (files: Record<string, string>, more: object = {}): string[] => {
  const facts = {
    ...RULES,
    ...more,
    files: Object.entries(files).map(([path, text]) => ({ path, references: findReferences(path, text) })),
  };
  return findReferenceProblems(buildReferenceGraph(facts), facts).map(
    ({ severity, code, path, line, facts }) =>
      `${severity} ${code} ${path}:${line} ${"address" in facts ? facts.address : "addresses" in facts ? facts.addresses.length : ""}`,
  );
};

test("references are resolved from the address at which their page answers, its base and the site's own path included", () => {
  expect(problemsOf({ "a/index.html": '<img src="b.png"><img src="../c.png"><img src="/d%20e.png">', "a/b.png": "", "c.png": "", "d e.png": "" })).toEqual([]);
  expect(problemsOf({ "a/index.html": '<base href="/z/"><img src="b.png">', "z/b.png": "" })).toEqual([]);
  expect(
    problemsOf(
      { "index.html": '<script src="/shop/x.js"></script><img src="/elsewhere.png">', "x.js": "" },
      { addressRules: { ...RULES.addressRules, basePath: "/shop/" } },
    ),
  ).toEqual([]);
  expect(
    problemsOf(
      { "index.html": '<script src="https://www.pelicansound.example/gone.js"></script><img src="//other.example/x.png">' },
      { origin: "https://www.pelicansound.example" },
    ),
  ).toEqual(["error missing-asset index.html:1 /gone.js"]);
}); // prettier-ignore

test("what a page works without warns: icons, hints to load ahead, social pictures, what a manifest names; a frame stops", () => {
  const page = [
    '<link rel="icon" href="/i.png">',
    '<link rel="apple-touch-icon" href="/t.png"><link rel="manifest" href="/m.webmanifest">',
    '<link rel="preload" href="/p.woff2" as="font"><link rel="modulepreload" href="/p.js">',
    '<meta property="og:image" content="/og.png"><meta name="twitter:image" content="/card.png">',
    '<img srcset="/s.png 2x"><iframe src="/frame.html"></iframe>',
  ].join("\n");
  const files = { "index.html": page, "site.webmanifest": '{"icons":[{"src":"/192.png"}]}' };
  expect(problemsOf(files).map((problem) => problem.replace(" missing-asset index.html", ""))).toEqual([
    "warning:1 /i.png",
    "warning:2 /t.png",
    "warning:2 /m.webmanifest",
    "warning:3 /p.woff2",
    "warning:3 /p.js",
    "warning:4 /og.png",
    "warning:4 /card.png",
    "error:5 /s.png",
    "error:5 /frame.html",
    "warning missing-asset site.webmanifest:1 /192.png",
  ]);
});

test("what the live release lacks as well warns; the same name on another page, and another name, stop", () => {
  const files = { "a.html": '<script src="/x.js"></script><script src="/y.js"></script>', "b.html": '<script src="/x.js"></script>' }; // prettier-ignore
  expect(problemsOf(files, { knownMissing: { "a.html": ["/x.js"] } })).toEqual([
    "warning missing-asset a.html:1 /x.js",
    "error missing-asset a.html:1 /y.js",
    "error missing-asset b.html:1 /x.js",
  ]);
});

test("missing scripts stop, missing decorations and dead links warn, guesses say nothing, client routes answer every link", () => {
  const files = { "index.html": '<script src="/a.js"></script>\n<p style="background:url(b.png)"></p>\n<a href="/gone/">x</a>', "c.js": 'load("/guess.js")' };
  expect(problemsOf(files)).toEqual([
    "error missing-asset index.html:1 /a.js",
    "warning missing-asset index.html:2 /b.png",
    "warning dead-link index.html:3 /gone/",
  ]);
  expect(problemsOf(files, { clientRoutes: true })).toHaveLength(2);
  expect(problemsOf({ "index.html": '<a href="/about">x</a>', "about.html": "" })).toEqual(["note bare-link index.html:1 1"]);
}); // prettier-ignore

test("what classic workers import, and what a page pins by its integrity", () => {
  expect(shown("sw.js", 'importScripts("lib/cache.js"); importScripts(name); other("x.js")')).toEqual(["1 guess x.js", "1 asset lib/cache.js"]);
  const [pinned, plain] = findReferences("a.html", '<script src="/a.js" integrity="sha384-x"></script><script src="/b.js" integrity=""></script>');
  expect([pinned?.isPinned, plain?.isPinned]).toEqual([true, undefined]);
}); // prettier-ignore

test("a template that stands for no text names nothing, and ends nothing", () => {
  expect(shown("a.js", "tag`\\unicode and \\xerxes`; new URL(`./a.png`, import.meta.url)")).toEqual([
    "1 decoration ./a.png",
  ]);
});

test("tags come in their order with their texts; of elements absurdly deep in one another only the first are read", () => {
  const seen: string[] = [];
  const read = (html: string): boolean =>
    readTags(html, (tag, attributes, at) => {
      seen.push(`${tag} ${at} ${attributes.id ?? ""}`);
      return tag === "b" ? (text) => seen.push(text) : undefined;
    });
  expect(read('<p id="&amp;1">a<b>c&lt;d</b>e')).toBe(true);
  expect(seen).toEqual(["p 0 &1", "b 16 ", "c<d"]);
  seen.length = 0;
  expect(read("<div>".repeat(2000))).toBe(false);
  expect(seen).toHaveLength(1000);
});

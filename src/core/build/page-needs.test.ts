import { hash } from "node:crypto";
import { findPageNeeds, joinNeeds } from "./page-needs.ts";

const sum = (text: string): string => hash("sha256", text, "base64");
const TOOLS = { hash: sum, origin: "https://www.pelican.test" };
const needsOf = (text: string, path = "index.html") => findPageNeeds(path, text, TOOLS);

test("what a page loads from elsewhere is asked about by its kind; its own files need no word", () => {
  const page = `<base href="https://www.pelican.test/"><script src="https://cdn.test/a.js"></script><script src="/own.js"></script>
    <img src="//img.test/a.png" srcset="https://img2.test/b.png 2x, /c.png"><img src="data:image/gif;base64,R0">
    <link rel="stylesheet" href="https://css.test/a.css"><link rel="preload" as="font" href="https://font.test/a.woff2">
    <link rel="icon" href="https://www.pelican.test/favicon.ico"><iframe src="https://map.test/"></iframe>
    <form action="https://form.test/send"></form><video poster="https://img.test/p.jpg"><source src="https://media.test/a.mp4"></video>`;
  expect(needsOf(page)).toEqual({
    "font-src": ["https://font.test"],
    "form-action": ["https://form.test"],
    "frame-src": ["https://map.test"],
    "img-src": ["data:", "https://img.test", "https://img2.test"],
    "media-src": ["https://media.test"],
    "script-src": ["https://cdn.test"],
    "style-src": ["https://css.test"],
  });
});

test("each script in a page is allowed by its hash, as browsers read it; data that is no script is not", () => {
  const text = "let a = '<b>';\nlet b = 1 && 2;";
  const page = `<script>${text.replace("\n", "\r\n")}</script><script type="application/json">{"a":1}</script><script type=importmap>{}</script><script></script>`;
  expect(needsOf(page)["script-src"]).toEqual([`'sha256-${sum(text)}'`, `'sha256-${sum("{}")}'`].sort());
  const handled = needsOf(`<button onclick="a(&quot;1&quot;)" style="color:red">`);
  expect(handled["script-src"]).toEqual([`'sha256-${sum('a("1")')}'`, "'unsafe-hashes'"].sort());
  expect(handled["style-src"]).toEqual(["'unsafe-inline'"]);
});

test("styles name pictures and fonts, scripts what they ask for", () => {
  expect(needsOf("@import url(https://css.test/b.css); a{background:url('https://img.test/a.png')} b{background:url(own.png)}", "a.css")).toEqual({
    "font-src": ["https://img.test"],
    "img-src": ["https://img.test"],
    "style-src": ["https://css.test"],
  });
  expect(needsOf('@import "https://css.test/b.css" screen; /* url(https://no.test/) */ a{background:URL( "https://img.test/a.png" )}', "a.css")).toEqual({
    "font-src": ["https://img.test"],
    "img-src": ["https://img.test"],
    "style-src": ["https://css.test"],
  });
  const script = 'fetch("https://api.test/v1/" + a); new WebSocket("wss://live.test/x"); import("https://cdn.test/m.js"); WebAssembly.instantiate(b); new Worker(URL.createObjectURL(c)); const ns = "http://www.w3.org/2000/svg"';
  expect(needsOf(script, "a.js")).toEqual({
    "connect-src": ["https://api.test", "wss://live.test"],
    "script-src": ["'wasm-unsafe-eval'", "https://cdn.test"],
    "style-src": ["'unsafe-inline'"],
    "worker-src": ["blob:"],
  });
}); // prettier-ignore

test("the needs of many files are joined, each source once", () => {
  expect(joinNeeds([{ "img-src": ["b", "a"] }, { "img-src": ["a"], "font-src": ["c"] }, {}])).toEqual({ "font-src": ["c"], "img-src": ["a", "b"] });
}); // prettier-ignore

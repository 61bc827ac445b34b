import { memoryBuild, memoryRules } from "../../../test/support/memory-build.ts";
import { findWayOut, findWrongBase } from "./base-check.ts";

const of = (files: Record<string, string>, basePath: string): unknown => {
  const found = findWrongBase({
    files: memoryBuild(files).read([]).files,
    addressRules: { ...memoryRules().addressRules, basePath },
  });
  return found && [found.facts.builtFor, found.facts.example];
};

const wayOutOf = (files: Record<string, string>, basePath: string): unknown =>
  findWayOut({
    files: memoryBuild(files).read([]).files,
    addressRules: { ...memoryRules().addressRules, basePath },
  })?.facts.example;

const page = (base: string): string =>
  `<script src="${base}assets/a.js"></script><link rel=stylesheet href="${base}assets/b.css">`;
const ASSETS = { "assets/a.js": "1", "assets/b.css": "body{}" };

test.each<[string, Record<string, string>, string, unknown]>([
  ["the right one", { "index.html": page("/app/") }, "/app/", undefined],
  ["the root", { "index.html": page("/app/") }, "/", ["/app/", "/app/assets/a.js"]],
  ["another", { "index.html": page("/app/") }, "/other/", ["/app/", "/app/assets/a.js"]],
  ["a folder, built for the root", { "index.html": page("/") }, "/other/", ["/", "/assets/a.js"]],
  ["a deeper one", { "index.html": page("/app/v2/") }, "/app/", ["/app/v2/", "/app/v2/assets/a.js"]],
  ["any, built relative", { "index.html": page("") }, "/other/", undefined],
  ["another, by its <base>", { "index.html": `<base href="/app/">${page("")}` }, "/", ["/app/", "/app/assets/a.js"]],
  ["the root, one name of another site", { "index.html": `${page("/")}<img src="/app/assets/a.js">` }, "/", undefined],
  ["what isn't in the build anywhere", { "index.html": '<img src="/x/1.png"><img src="/x/2.png">' }, "/", undefined],
  ["the root, with one name from elsewhere", { "index.html": '<script src="/app/assets/a.js"></script>' }, "/", undefined],
  ["the root, as much right as wrong", { "index.html": `${page("/")}${page("/app/")}` }, "/", undefined],
  ["the root, most of it wrong", { "index.html": `<script src="/assets/a.js"></script>${page("/app/")}` }, "/", ["/app/", "/app/assets/a.js"]],
  ["the root, half of it nowhere", { "index.html": `${page("/app/")}<img src="/x/1.png"><img src="/x/2.png">` }, "/", undefined],
  ["the root, a third of it nowhere", { "index.html": `${page("/app/")}<img src="/x/1.png">` }, "/", ["/app/", "/app/assets/a.js"]],
  ["the root, by links alone", { "index.html": '<a href="/app/news/"><a href="/app/fares/">', "news/index.html": "", "fares/index.html": "" }, "/", undefined],
  ["the root, by names of other hosts", { "index.html": page("//app/") }, "/", undefined],
])("a build for one place at %s", (_, files, basePath, expected) => {
  expect(of({ ...ASSETS, ...files }, basePath)).toEqual(expected);
}); // prettier-ignore

test.each<[string, Record<string, string>, string, unknown]>([
  ["one script from the root", { "index.html": '<script src="/assets/a.js"></script>' }, "/previews/main/", "/assets/a.js"],
  ["one link from the root", { "index.html": '<a href="/news/">', "news/index.html": "" }, "/previews/main/", "/news/"],
  ["a link to what the build has not", { "index.html": '<a href="/elsewhere/">' }, "/previews/main/", undefined],
  ["relative names", { "index.html": page("") }, "/previews/main/", undefined],
  ["names below its own path", { "index.html": page("/previews/main/") }, "/previews/main/", undefined],
  ["a host of its own", { "index.html": page("/") }, "/", undefined],
  ["a host of its own, built for a folder", { "index.html": page("/app/") }, "/", "/app/assets/a.js"],
])("out of a preview leads %s", (_, files, basePath, expected) => {
  expect(wayOutOf({ ...ASSETS, ...files }, basePath)).toBe(expected);
}); // prettier-ignore

import fc from "fast-check";
import { parseBrowserFreshness, parseEdgeFreshness, toCacheControl } from "../model/cache-control.ts";
import { decideContentType } from "./content-type.ts";
import { createHeaderDecider, type HeaderRules } from "./headers.ts";
import { ROLES, type Role } from "../model/role.ts";
import { holds } from "../../../test/support/seeds.ts";

const NO_RULES: HeaderRules = { freshness: [], types: [], headers: [], edgeCanForget: true };
const decide = (path: string, role: Role, rules: Partial<HeaderRules> = {}) =>
  createHeaderDecider({ ...NO_RULES, ...rules })({ path, role, head: new Uint8Array() });

test.each<[string, Role, string]>([
  ["a-1f2e3d4c.js", "fingerprinted", "public, max-age=31536000, immutable"],
  ["app.js", "asset", "public, max-age=0, s-maxage=86400, must-revalidate"],
  ["style.css", "asset", "public, max-age=0, s-maxage=86400, must-revalidate"],
  ["logo.png", "asset", "public, max-age=600, s-maxage=86400"],
  ["news.html", "page", "public, max-age=0, s-maxage=86400, must-revalidate"],
  ["index.html", "entry", "public, max-age=0, s-maxage=86400, must-revalidate"],
  ["404.html", "notFound", "public, max-age=0, s-maxage=60, must-revalidate"],
  ["sw.js", "worker", "public, max-age=0, must-revalidate"],
  ["feed.xml", "document", "public, max-age=0, s-maxage=3600, must-revalidate"],
])("%s as %s gets %s", (path, role, cacheControl) => {
  expect(decide(path, role).headers["cache-control"]).toBe(cacheControl);
});

test.each<[string, boolean, string, string | undefined]>([
  ["a.cjs", false, "text/javascript; charset=utf-8", undefined],
  ["a/.css", false, "application/octet-stream", undefined],
  ["a.sxg", false, "application/signed-exchange;v=b3", undefined],
  ["a.flac", false, "audio/flac", undefined],
  ["a.importmap", false, "application/importmap+json", undefined],
  ["sea.svgz", false, "image/svg+xml", "gzip"],
  ["game/g.framework.js.br", false, "text/javascript; charset=utf-8", "br"],
  ["game/g.wasm.gz", false, "application/wasm", "gzip"],
  ["game/g.data.br", false, "application/octet-stream", "br"],
  ["app.js.br", true, "application/octet-stream", undefined],
  ["app.js.gz", true, "application/gzip", undefined],
  ["tides.json.gz", false, "application/gzip", undefined],
  ["backup.tar.gz", false, "application/gzip", undefined],
])("%s, beside its original %s, is %s encoded as %s", (path, hasOriginal, type, encoding) => {
  const { headers } = createHeaderDecider(NO_RULES)({
    ...{ path, hasOriginal, role: "asset", head: new Uint8Array() },
  });
  expect([headers["content-type"], headers["content-encoding"]]).toEqual([type, encoding]);
});

test("a picture that a worker names is asked for anew, unless a rule says how long it may be kept", () => {
  const subject = { path: "sea.png", role: "asset" as const, head: new Uint8Array(), isNamedByWorker: true };
  const of = (rules: Partial<HeaderRules>): string | undefined =>
    createHeaderDecider({ ...NO_RULES, ...rules })(subject).headers["cache-control"];
  expect(of({})).toBe("public, max-age=0, s-maxage=86400, must-revalidate");
  expect(of({ freshness: [{ files: "*.png", edge: 60 }] })).toBe(
    "public, max-age=0, s-maxage=60, must-revalidate",
  );
  expect(of({ freshness: [{ files: "*.jpg", browser: 60, edge: 60 }] })).toBe(of({}));
  expect(of({ freshness: [{ files: "*.png", browser: 60 }] })).toBe("public, max-age=60, s-maxage=86400");
  expect(
    createHeaderDecider(NO_RULES)({ ...subject, role: "fingerprinted" }).headers["cache-control"],
  ).toMatch(/immutable/);
});

test("what can't be called back from an edge is not kept there, unless a rule says so", () => {
  expect(decide("index.html", "entry", { edgeCanForget: false }).headers["cache-control"]).toBe(
    "public, max-age=0, must-revalidate",
  );
  const rules = { edgeCanForget: false, freshness: [{ files: "*.json", browser: 60, edge: 300 }] };
  expect(decide("a.json", "document", rules).headers["cache-control"]).toBe(
    "public, max-age=60, s-maxage=300",
  );
});

test("later rules override earlier ones property by property, and each value tells its rule", () => {
  const { headers, trace } = decide("timetables/a.json", "document", {
    freshness: [{ files: "**/*.json", browser: 10, edge: 20 }, { files: "timetables/**", edge: 3600 }],
    types: [{ files: "**", type: "application/ld+json" }],
    headers: [{ files: "**", set: { "Content-Language": "en", "Cache-Control": "no-store" } }, { files: "timetables/*", set: { "content-language": "de" } }],
  }); // prettier-ignore
  expect(headers).toEqual({
    "cache-control": "no-store",
    "content-type": "application/ld+json",
    "content-language": "de",
  });
  expect(
    trace.map(
      ({ header, value, rule }) => `${header}: ${value} (${rule.by} ${"files" in rule ? rule.files : ""})`,
    ),
  ).toEqual([
    "cache-control: public, max-age=10, s-maxage=3600 (freshness timetables/**)",
    "content-type: application/json (content )",
    "content-type: application/ld+json (types **)",
    "content-language: en (headers **)",
    "cache-control: no-store (headers **)",
    "content-language: de (headers timetables/*)",
  ]);
});

test("a fingerprinted file whose browser freshness a rule shortens is not called immutable", () => {
  expect(
    decide("a-1f2e3d4c.js", "fingerprinted", { freshness: [{ files: "*.js", browser: 60 }] }).headers[
      "cache-control"
    ],
  ).toBe("public, max-age=60, s-maxage=31536000");
});

test.each([
  ["public, max-age=10, s-maxage=20", 20, 10],
  ["max-age=10", 10, 10],
  ['s-maxage="30"', 30, undefined],
  ["no-store, max-age=10", 0, 0],
  ["no-cache, stale-while-revalidate=5", 0, 0],
  ["private, max-age=10", 0, 10],
  ["max-age=10, s-maxage=20, stale-while-revalidate=5", 25, 15],
  ["max-age=10, stale-while-revalidate=5, must-revalidate", 10, 10],
  ["max-age=10, stale-while-revalidate=5, proxy-revalidate", 10, 15],
  ["public", undefined, undefined],
  [undefined, undefined, undefined],
])("%s may be reused by an edge for %s and by a browser for %s seconds", (cacheControl, edge, browser) => {
  expect([parseEdgeFreshness(cacheControl), parseBrowserFreshness(cacheControl)]).toEqual([edge, browser]);
});

test("what is written as Cache-Control is read back as the same edge freshness", async () => {
  await holds(
    fc.property(fc.nat(), fc.nat(), fc.boolean(), (browser, edge, immutable) => {
      expect(parseEdgeFreshness(toCacheControl({ browser, edge, immutable }))).toBe(edge);
    }),
    { seeds: [2] },
  );
});

test("a glob: * within a folder, ** across folders, choices, dots like other letters", () => {
  const matches = (files: string, path: string): boolean =>
    decide(path, "document", { headers: [{ files, set: { "content-language": "en" } }] }).headers["content-language"] === "en";
  expect([matches("*.js", "a.js"), matches("*.js", "b/a.js"), matches("**/*.js", "b/c/a.js"), matches("**/*.js", "a.js")]).toEqual([true, false, true, true]);
  expect([matches("{a,b}.js", "b.js"), matches("[ab].js", "c.js"), matches("?.js", "a.js"), matches("**", ".well-known/x")]).toEqual([true, false, true, true]);
}); // prettier-ignore

const bytes = (text: string): Uint8Array => Uint8Array.from(text, (letter) => letter.charCodeAt(0));

test.each([
  ["a.js", "", "text/javascript; charset=utf-8"],
  ["a.mjs", "", "text/javascript; charset=utf-8"],
  ["a.css", "", "text/css; charset=utf-8"],
  ["a.svg", "", "image/svg+xml"],
  ["a.woff2", "", "font/woff2"],
  ["a.webmanifest", "", "application/manifest+json"],
  ["a.wasm", "", "application/wasm"],
  ["a.avif", "", "image/avif"],
  ["folder.d/plain", "<!doctype html><p>", "text/html; charset=utf-8"],
  ["plain", "\x89PNG\r\n\x1a\n", "image/png"],
  ["plain", "\xff\xd8\xff\xe0\0\x10JFIF", "image/jpeg"],
  ["plain", "\xff\xd9\0", "application/octet-stream"],
  ["plain", "GIF89a", "image/gif"],
  ["plain", "%PDF-1.7", "application/pdf"],
  ["plain", "PK\x03\x04", "application/zip"],
  ["plain", "\x1f\x8b\x08", "application/gzip"],
  ["plain", "wOF2", "font/woff2"],
  ["plain", "wOFF", "font/woff"],
  ["plain", "\0asm", "application/wasm"],
  ["plain", '\xef\xbb\xbf<?xml version="1.0"?>', "application/xml"],
  ["plain", ' {"a":1}', "application/json"],
  ["plain", "just words", "text/plain; charset=utf-8"],
  ["plain", "\x00\x01\x02", "application/octet-stream"],
  ["empty", "", "application/octet-stream"],
  [".well-known/assetlinks", "[]", "application/json"],
  ["x.unknownending", "words", "text/plain; charset=utf-8"],
])("%s that begins with %j is %s", (path, head, type) => {
  expect(decideContentType(path, bytes(head))).toBe(type);
});

test("a file's headers never depend on the order of the files", async () => {
  const subjects = fc.uniqueArray(
    fc.record({ path: fc.stringMatching(/^[a-z]{1,6}\.(js|html|png)$/), role: fc.constantFrom(...ROLES) }),
    { selector: ({ path }) => path },
  );
  await holds(
    fc.property(subjects, (files) => {
      const decider = createHeaderDecider({ ...NO_RULES, freshness: [{ files: "a*", browser: 5 }] });
      const toHeaders = (list: typeof files) =>
        new Map(list.map((file) => [file.path, decider({ ...file, head: new Uint8Array() }).headers]));
      const forwards = toHeaders(files);
      for (const [path, headers] of toHeaders(files.toReversed()))
        expect(headers).toEqual(forwards.get(path));
    }),
    { seeds: [2] },
  );
});

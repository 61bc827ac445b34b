import fc from "fast-check";
import { listAddresses, PAGE_FORMS } from "./addresses.ts";
import { resolve, resolveName, resolveReference } from "./resolve.ts";
import { holds } from "../../../test/support/seeds.ts";

const segment = fc.constantFrom(
  "news",
  "cape wren",
  "100%",
  "fähre",
  "a?b",
  "x#y",
  "about.html",
  "index.html",
  "p.js",
);
const keys = fc.uniqueArray(
  fc.array(segment, { minLength: 1, maxLength: 3 }).map((parts) => parts.join("/")),
  { minLength: 1, maxLength: 8 },
);

test("each address under which a file is promised to answer leads to it, or to one that has just that name", async () => {
  await holds(
    fc.property(keys, fc.constantFrom("/", "/ferries/"), (files, basePath) => {
      const rules = { basePath, indexName: "index.html", forms: PAGE_FORMS };
      const known = new Set(files);
      const resolver = { has: (key: string) => known.has(key), bare: true };
      for (const key of files)
        for (const address of listAddresses(key, rules)) {
          const found = resolve(address, rules, resolver);
          const others = files.filter((other) => listAddresses(other, rules).includes(address));
          expect([address, others.includes(found ?? "")]).toEqual([address, true]);
        }
      expect(resolve(`${basePath}nowhere`, rules, resolver)).toBeUndefined();
      if (basePath !== "/") expect(resolve(`/${files[0] ?? ""}`, rules, resolver)).toBeUndefined();
    }),
    { numRuns: 300, seeds: [1] },
  );
});

test.each([
  ["news/index.html", "news/index.html"],
  ["./news", "news/index.html"],
  ["/ferries/news/", "news/index.html"],
  ["/ferries/cape%20wren.html", "cape wren.html"],
  ["/news/", undefined],
  ["/ferries/%E0%A4%A", undefined],
])("what a person types, %s, means %s", (typed, key) => {
  const files = new Set(["news/index.html", "cape wren.html"]);
  const rules = { basePath: "/ferries/", indexName: "index.html" };
  expect(resolveName(typed, rules, { has: (name) => files.has(name), bare: true })).toBe(key);
});

test.each([
  [{ url: "../app.js" }, "news/index.html", "/ferries/app.js"],
  [{ url: "app.js", base: "/ferries/lib/" }, "news/index.html", "/ferries/lib/app.js"],
  [{ url: "/app.js" }, "index.html", undefined],
  [{ url: "https://elsewhere.example/app.js" }, "index.html", undefined],
  [{ url: "https://www.pelicansound.example/ferries/a?b#c" }, "index.html", "/ferries/a"],
  [{ url: "http://[" }, "index.html", undefined],
])("a reference %j in %s leads to %s", (written, from, address) => {
  expect(resolveReference(written, from, "/ferries/", "https://www.pelicansound.example")).toBe(address);
});

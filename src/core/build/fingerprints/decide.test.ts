import fc from "fast-check";
import type { Role } from "../../model/role.ts";
import { ALPHABETS, bitsOf } from "./alphabets.ts";
import { findCandidates } from "./candidates.ts";
import { decideFingerprints } from "./decide.ts";
import { findFingerprintNames } from "./find.ts";
import { familyOf, judgeFamilies } from "./families.ts";
import { costAsPeopleName } from "./people-names.ts";

const hexNames = (count: number): string[] =>
  fc
    .sample(fc.array(fc.constantFrom(...Array.from("0123456789abcdef")), { minLength: 16, maxLength: 16 }), {
      seed: 8,
      numRuns: count,
    })
    .map((letters) => letters.join(""));

const decide = (
  paths: readonly string[],
  named: readonly string[],
  earlier: Readonly<Record<string, Role>> = {},
): Record<string, unknown> => {
  const reasons = decideFingerprints({
    files: paths.map((path) => ({ path, hash: `of ${path}` })),
    names: findFingerprintNames(paths),
    namedTokens: new Map(named.map((token) => [token, "index.html"])),
    earlier: new Map(Object.entries(earlier).map(([key, role]) => [key, { hash: `of ${key}`, role }])),
  });
  return Object.fromEntries([...reasons].map(([path, { by }]) => [path, by]));
};

test("a long hash that nobody names is believed beside five that are named", () => {
  const tokens = hexNames(6);
  const paths = tokens.map((token) => `chunks/page-${token}.js`);
  expect(Object.values(decide(paths, tokens.slice(0, 5)))).toEqual([
    ...Array.from({ length: 5 }, () => ({ namedIn: "index.html" })),
    "family",
  ]);
  expect(Object.keys(decide(paths, tokens.slice(0, 4)))).toEqual(paths.slice(0, 4));
  const apart = tokens.map((token, index) => `${index < 5 ? "a" : "b"}1/page-${token}.js`);
  expect(Object.keys(decide(apart, tokens.slice(0, 5)))).toEqual(apart.slice(0, 5));
});

test.each<[string, string, string, Role, boolean]>([
  ["a hash that changed with the bytes", "a/hero-91ac07be.jpg", "a/hero-2f0d3e8a.jpg", "asset", true],
  ["one of which nothing shows that it is one", "a/log-20240201.txt", "a/log-20240131.txt", "document", false],
  ["a word where an immutable file stood", "a/chunk-CALMHORT.js", "a/chunk-K7QZPW2M.js", "fingerprinted", true],
  ["a word where a plain one stood", "a/chunk-CALMHORT.js", "a/chunk-HARBOURS.js", "asset", false],
  ["a name that is nothing but random letters", "a/67abd00f1c3e5a9b.jpg", "a/91c0ffe2b7d4a683.jpg", "asset", false],
  ["another length", "a/hero-91ac07be.jpg", "a/hero-2f0d3e8a1b.jpg", "asset", false],
])("an earlier release as evidence: %s", (_, path, before, role, isBelieved) => {
  expect(decide([path], [], { [before]: role })).toEqual(
    isBelieved ? { [path]: { changedSince: before } } : {},
  );
  // It stands beside the new one still, so that nothing has changed its name.
  expect(decide([path, before], [], { [before]: role })[path]).toBeUndefined();
}); // prettier-ignore

test("bytes that changed under their name are evidence against it, and an immutable name is a matter for the guard", () => {
  const path = "a/app-2f0d3e8a.js";
  const names = findFingerprintNames([path]);
  const facts = { names, files: [{ path, hash: "new" }], namedTokens: new Map([["2f0d3e8a", "index.html"]]) };
  const before = (role: Role): ReadonlyMap<string, { hash: string; role: Role }> =>
    new Map([[path, { hash: "old", role }]]);
  expect(decideFingerprints({ ...facts, earlier: before("asset") }).size).toBe(0);
  expect(decideFingerprints({ ...facts, earlier: before("fingerprinted") }).size).toBe(1);
});

test("the parts of a name that may be a hash", () => {
  const parts = (path: string): string[] =>
    findCandidates(path).map(({ place, token, end }) => `${place} ${token} ${end}`);
  expect(parts("a/pier-2f0d3e8a.chunk.js.br")).toEqual([
    "whole pier-2f0d3e8a.chunk .js",
    "end 2f0d3e8a.chunk .js",
    "whole pier-2f0d3e8a .chunk.js",
    "end 2f0d3e8a .chunk.js",
  ]);
  expect(parts("a/index.html")).toEqual([]);
  expect(parts("a/app.2f0d3e8a.js.map")).toEqual([]);
  expect(parts(`${"a-".repeat(3000)}2f0d3e8a.js`).length).toBeLessThan(40);
});

test("what people write is likelier as such than as random letters", () => {
  const random = (token: string, size: number): number => token.length * Math.log(size);
  for (const token of ["20240131", "20240131_142233", "timetable", "deadc0de", "zh-Hant-TW", "DSCF2767", "v18b", "lib-v2rc1"])
    expect(costAsPeopleName(token)).toBeLessThan(random(token, 36) - 3);
  for (const token of ["2f0d3e8a", "9f2c41d07be35a18"])
    expect(costAsPeopleName(token)).toBeGreaterThan(random(token, 16) + 5);
  for (const token of ["BfL3s-aQ", "DlAUqK2U", "NkrHgpF3V-"])
    expect(costAsPeopleName(token)).toBeGreaterThan(random(token, 64));
  // What is joined by two dashes is joined no less.
  expect(costAsPeopleName("tide--table-")).toBe(costAsPeopleName("tide-table"));
  // Digits that are no day are no day; with a time of day behind it, one is likelier than with any digits.
  for (const [likelier, than] of [["20241231", "20241331"], ["31122024", "32122024"], ["20241231", "21241231"], ["20240131142233", "20240131992233"], ["2024", "2104"]] as const)
    expect([likelier, costAsPeopleName(likelier) < costAsPeopleName(than) - 1]).toEqual([likelier, true]);
}); // prettier-ignore

test("a family is written in one alphabet, and what its tokens can't be is not in it", () => {
  const names = ["a/x-2f0d3e8a.js", "a/y-91ac07be.js", "a/z-settings.js"];
  const candidates = names.map((name) => findCandidates(name));
  const families = judgeFamilies(candidates);
  const end = candidates[0]?.find(({ place, token }) => place === "end" && token.length === 8);
  const family = end && families.get(familyOf(end));
  expect([family?.alphabet.name, [...(family?.shown ?? [])]]).toEqual(["hex", ["2f0d3e8a", "91ac07be"]]);
  expect(ALPHABETS.map(({ name }) => Math.round(bitsOf(name)))).toEqual([4, 5, 5, 6]);
});

import fc from "fast-check";
import { holds } from "../../test/support/seeds.ts";
import type { Reference } from "../core/model/reference.ts";
import { toContentId, type ContentFacts } from "./content-facts.ts";
import { ContentTable, packContents, unpackContents } from "./content-table.ts";

const SHAPES = { ends: [8], plain: [] };
const line = fc.integer({ min: 1, max: 90_000 });
const reference: fc.Arbitrary<Reference> = fc.record(
  {
    kind: fc.constantFrom("asset" as const, "worker" as const),
    url: fc.constantFrom("/app.js", "app.js", "ü.css", ""),
    base: fc.constantFrom("/", "docs/"),
    isLater: fc.constant(true as const),
    isPinned: fc.constant(true as const),
    line,
  },
  { requiredKeys: ["kind", "url", "line"] },
);
const facts: fc.Arbitrary<ContentFacts> = fc.record({
  head: fc.uint8Array({ maxLength: 9 }),
  references: fc.array(reference, { maxLength: 5 }),
  secrets: fc.array(fc.constantFrom("private-key" as const, "access-key" as const), { maxLength: 2 }),
  unread: fc.constantFrom(undefined, "deep" as const, "large" as const),
  words: fc.array(fc.nat({ max: 2 ** 53 - 1 }), { maxLength: 4 }).map((all) => Float64Array.from(all)),
});
const contents = fc.dictionary(fc.string({ minLength: 1, maxLength: 6 }), facts, { maxKeys: 8 });

const plain = ({ head, ...rest }: ContentFacts): object => ({ ...rest, head: [...head] });

test("what is known of contents is the same after it was kept, wherever it begins in memory", () => {
  const property = fc.property(contents, fc.nat({ max: 7 }), (all, offset) => {
    const table = new ContentTable(SHAPES);
    for (const [id, known] of Object.entries(all)) table.add(id, known);
    const packed = packContents(table);
    const moved = Buffer.concat([Buffer.alloc(offset), packed]).subarray(offset);
    const again = unpackContents(moved, SHAPES);
    expect(again.hasNews()).toBe(false);
    for (const [id, known] of Object.entries(all))
      expect(plain(again.find(id) as ContentFacts)).toEqual(plain(known));
    expect(again.find("none")).toBeUndefined();
  });
  return holds(property, { seeds: [3], numRuns: 60 });
});

const NOTHING: ContentFacts = {
  head: new Uint8Array(),
  references: [],
  secrets: [],
  words: new Float64Array(),
};

test("a content that no file has any more is kept for three saves, so that a build may go back and forth", () => {
  const table = new ContentTable(SHAPES);
  table.add("old", NOTHING);
  let packed = packContents(table);
  for (const left of [true, true, true, false]) {
    const next = unpackContents(packed, SHAPES);
    packed = packContents(next);
    expect([...next.list()].length === 1).toBe(left);
  }
  const used = new ContentTable(SHAPES);
  used.add("old", NOTHING);
  packed = packContents(used);
  for (let save = 0; save < 6; save++) {
    const next = unpackContents(packed, SHAPES);
    expect(next.find("old")).toBeDefined();
    packed = packContents(next);
  }
});

test("texts are read anew where hashes of other lengths are looked for, and then for both", () => {
  const table = new ContentTable({ ends: [8], plain: [6] });
  table.add("page", NOTHING);
  const packed = packContents(table);
  expect(unpackContents(packed, { ends: [], plain: [6] }).find("page")).toBeDefined();
  const wider = unpackContents(packed, { ends: [10], plain: [] });
  expect(wider.find("page")).toBeUndefined();
  expect(wider.shapes).toEqual({ ends: [8, 10], plain: [6] });
});

test.each([
  ["a.html", "a.js"],
  ["a.html", "a.txt"],
  ["manifest.json", "data.json"],
  ["a.txt", "a.png"],
  ["a.png", "a.made-up"],
  ["a.txt", "a.made-up"],
])("the same bytes are read differently as %s and as %s", (one, other) => {
  expect(toContentId(one, "h")).not.toBe(toContentId(other, "h"));
});

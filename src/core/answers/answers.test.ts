import fc from "fast-check";
import { holds } from "../../../test/support/seeds.ts";
import { chooseCoding, isCompressed } from "./coding.ts";
import { countsForRange, decideCondition } from "./conditions.ts";
import { decideRanges } from "./ranges.ts";

const [EARLIER, THEN, LATER] = [
  "Mon, 30 Nov 2026 08:00:00 GMT",
  "Mon, 30 Nov 2026 09:00:00 GMT",
  "Mon, 30 Nov 2026 10:00:00 GMT",
];
const OURS = { etag: '"ferry"', lastModified: THEN };

test.each([
  ["nothing", {}, "send"],
  ["the same ETag", { "if-none-match": '"ferry"' }, "not-modified"],
  ["the same one, weak", { "if-none-match": 'W/"ferry"' }, "not-modified"],
  ["one without quotes", { "if-none-match": "ferry" }, "not-modified"],
  ["a list with it", { "if-none-match": '"a,b", W/"c" , "ferry"' }, "not-modified"],
  ["a list without it", { "if-none-match": '"a", "b"' }, "send"],
  ["a list in whose ETag it stands", { "if-none-match": '"a ferry", "ferry b"' }, "send"],
  ["any ETag", { "if-none-match": "*" }, "not-modified"],
  ["another ETag and a later date", { "if-none-match": '"a"', "if-modified-since": LATER }, "send"],
  ["its own date", { "if-modified-since": THEN }, "not-modified"],
  ["a later date", { "if-modified-since": LATER }, "not-modified"],
  ["an earlier date", { "if-modified-since": EARLIER }, "send"],
  ["no date", { "if-modified-since": "yesterday" }, "send"],
  ["the ETag that must be", { "if-match": '"ferry"' }, "send"],
  ["the ETag that must be, weak", { "if-match": 'W/"ferry"' }, "failed"],
  ["any that must be", { "if-match": "*" }, "send"],
  ["another that must be", { "if-match": '"a"', "if-none-match": '"ferry"' }, "failed"],
  ["unchanged since before", { "if-unmodified-since": EARLIER }, "failed"],
  ["unchanged since then", { "if-unmodified-since": THEN }, "send"],
  [
    "the ETag that must be, and a date that would fail",
    { "if-match": '"ferry"', "if-unmodified-since": EARLIER },
    "send",
  ],
])("a condition with %s", (_, headers, outcome) => {
  expect(decideCondition(headers, OURS)).toBe(outcome);
});

test("what has neither ETag nor date is always sent, but for '*' and a list that must hold", () => {
  const none = { etag: undefined, lastModified: undefined };
  expect(decideCondition({ "if-none-match": '"a"', "if-modified-since": LATER }, none)).toBe("send");
  expect(decideCondition({ "if-modified-since": LATER }, none)).toBe("send");
  expect(decideCondition({ "if-none-match": "*" }, none)).toBe("not-modified");
  expect(decideCondition({ "if-match": '"a"' }, none)).toBe("failed");
});

test.each([
  [undefined, true],
  ['"ferry"', true],
  ['W/"ferry"', false],
  ['"other"', false],
  [THEN, true],
  [LATER, false],
])("a range that is for %s counts: %s", (told, counts) => {
  expect(countsForRange({ "if-range": told }, OURS)).toBe(counts);
});

test.each([
  [undefined, { send: "whole" }],
  ["bytes=0-9", [[0, 9]]],
  ["bytes=90-", [[90, 99]]],
  ["bytes=-10", [[90, 99]]],
  ["bytes=-1000", [[0, 99]]],
  ["bytes=0-9, 20-29", [[0, 9], [20, 29]]],
  ["bytes=20-29,0-9", [[20, 29], [0, 9]]],
  ["bytes=0-9,5-20", [[0, 20]]],
  ["bytes=0-9,200-300", [[0, 9]]],
  ["bytes=100-", { send: "nothing" }],
  ["bytes=-0", { send: "nothing" }],
  ["bytes=9-0", { send: "whole" }],
  ["bytes=a-b", { send: "whole" }],
  ["bytes=", { send: "whole" }],
  ["lines=0-9", { send: "whole" }],
  [Array.from({ length: 12 }, (_, at) => `${at * 5}-${at * 5}`).join(",").replace(/^/, "bytes="), { send: "whole" }],
])("of 100 bytes, %s", (range, outcome) => {
  const wanted = Array.isArray(outcome)
    ? { send: "parts", ranges: outcome.map(([start, end]) => ({ start, end })) }
    : outcome;
  expect(decideRanges(range, 100)).toEqual(wanted);
}); // prettier-ignore

test("whatever is asked for: parts lie within the whole, apart from one another, and hold every byte that was named", async () => {
  const spec = fc.oneof(
    fc.tuple(fc.nat(60), fc.nat(60)).map(([start, length]) => [start, start + length] as const),
    fc.nat(60).map((start) => [start, undefined] as const),
    fc.integer({ min: 1, max: 60 }).map((last) => [undefined, last] as const),
  );
  await holds(
    fc.property(
      fc.array(spec, { minLength: 1, maxLength: 9 }),
      fc.integer({ min: 1, max: 50 }),
      (specs, size) => {
        const range = `bytes=${specs.map(([start, end]) => `${start ?? ""}-${end ?? ""}`).join(",")}`;
        const named = new Set<number>();
        for (const [start, end] of specs) {
          const from = start ?? Math.max(0, size - end);
          for (let at = from; at <= Math.min(size - 1, start === undefined ? size : (end ?? size)); at += 1)
            named.add(at);
        }
        const outcome = decideRanges(range, size);
        const sent = outcome.send === "parts" ? outcome.ranges : [];
        const bytes = sent.flatMap(({ start, end }) =>
          Array.from({ length: end - start + 1 }, (_, at) => start + at),
        );
        expect(outcome.send).toBe(named.size === 0 ? "nothing" : "parts");
        expect(new Set(bytes)).toEqual(named);
        expect(bytes.length).toBe(named.size);
      },
    ),
    { numRuns: 300, seeds: [1] },
  );
});

test.each([
  [undefined, undefined],
  ["", undefined],
  ["gzip", "gzip"],
  ["gzip, deflate, br, zstd", "br"],
  ["br;q=0, gzip", "gzip"],
  ["br;q=0.5, gzip", "gzip"],
  ["GZIP;q=0.8", "gzip"],
  ["*", "br"],
  ["*;q=0", undefined],
  ["br;q=0, *", "gzip"],
  ["identity", undefined],
  ["gzip;q=0.3, identity;q=0.9", undefined],
  ["brotli", undefined],
])("a client that takes %j gets %j", (accepted, coding) => {
  expect(chooseCoding(accepted)).toBe(coding);
});

test.each([
  ["text/html; charset=utf-8", {}, 1024, true],
  ["text/html; charset=utf-8", {}, 1023, false],
  ["text/css", { "content-encoding": "gzip" }, 9000, false],
  ["image/svg+xml", {}, 9000, true],
  ["image/png", {}, 9000, false],
])("an answer of type %s with %j and %d bytes is compressed: %s", (type, more, size, isSo) => {
  expect(isCompressed({ "content-type": type, ...more }, size)).toBe(isSo);
});

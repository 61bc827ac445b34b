import { extendImmutableNames, parseImmutableNames, toImmutableText } from "./immutable-names.ts";
import type { Parcel } from "../model/parcel.ts";

const DAY = 86_400_000;
const parcel = (key: string, letter: string, role: Parcel["role"] = "fingerprinted"): Parcel => ({
  key,
  hash: letter.repeat(64),
  storedHash: "",
  size: 1,
  headers: {},
  role,
});

test("what stands is noted with its time, what has not stood for more than a year is let go, other roles never count", () => {
  const first = extendImmutableNames(new Map(), [parcel("a.js", "a"), parcel("page.html", "b", "page")], 0);
  expect([...first]).toEqual([["a.js", { hash: "a".repeat(64), stoodMs: 0 }]]);
  const next = extendImmutableNames(first, [parcel("b.js", "c")], 365 * DAY);
  expect([...next.keys()]).toEqual(["a.js", "b.js"]);
  expect([...extendImmutableNames(next, [], 367 * DAY).keys()]).toEqual(["b.js"]);
  expect(parseImmutableNames(toImmutableText(next))).toEqual(next);
});

test.each([
  "",
  "{}",
  '{"format":"restless-courier/immutable-names/9","names":{}}',
  '{"format":"restless-courier/immutable-names/1","names":{"a":["short",1]}}',
])("%j is refused and never written over", (text) => {
  expect(() => parseImmutableNames(text)).toThrow(
    expect.objectContaining({ code: "record-unreadable" }) as Error,
  );
});

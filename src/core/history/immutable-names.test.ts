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
  const made = (release: number, ...parcels: Parcel[]) => ({ release, parcels, standing: [] });
  const first = extendImmutableNames(
    new Map(),
    made(3, parcel("a.js", "a"), parcel("page.html", "b", "page")),
    [],
    0,
  );
  expect([...first]).toEqual([["a.js", { hash: "a".repeat(64), stoodMs: 0, lastIn: 3 }]]);
  const next = extendImmutableNames(first, made(4, parcel("b.js", "c")), [], 365 * DAY);
  expect([...next.keys()]).toEqual(["a.js", "b.js"]);
  expect([...extendImmutableNames(next, made(5), [], 367 * DAY).keys()]).toEqual(["b.js"]);
  expect(parseImmutableNames(toImmutableText(next))).toEqual(next);
});

test("the last release that lists a name is noted, and when the one after it was made; records of before say nothing of it", () => {
  const at = (days: number): string => new Date(days * DAY).toISOString();
  const standing = [{ ...parcel("a.js", "a"), lastIn: 3 }, { ...parcel("b.js", "b"), lastIn: 5 }];
  const earlier = [{ release: 5, at: at(5) }, { release: 4, at: at(4) }, { release: 3, at: at(3) }];
  const names = extendImmutableNames(new Map(), { release: 6, parcels: [parcel("c.js", "c")], standing }, earlier, 6 * DAY);
  expect(names.get("a.js")).toMatchObject({ lastIn: 3, supersededMs: 4 * DAY });
  expect(names.get("b.js")).toMatchObject({ lastIn: 5, supersededMs: 6 * DAY });
  expect(names.get("c.js")).toEqual({ hash: "c".repeat(64), stoodMs: 6 * DAY, lastIn: 6 });
  expect(parseImmutableNames(toImmutableText(names))).toEqual(names);
  const old = `{"format":"restless-courier/immutable-names/1","names":{"a.js":["${"a".repeat(64)}",5]}}`;
  expect([...parseImmutableNames(old).values()]).toEqual([{ hash: "a".repeat(64), stoodMs: 5 }]);
}); // prettier-ignore

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

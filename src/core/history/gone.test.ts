import fc from "fast-check";
import { holds } from "../../../test/support/seeds.ts";
import type { Parcel, RecordedParcel } from "../model/parcel.ts";
import { extendGone } from "./gone.ts";

const parcel = (key: string, role: Parcel["role"] = "page"): RecordedParcel => ({
  ...{ key, hash: "h", storedHash: "h", size: 1, role, headers: {} },
});

test("what a site has no more is remembered by the last release that had it, until it is there again; assets are not", async () => {
  const pages = ["a", "b", "c", "d"];
  const build = fc.subarray(pages);
  await holds(
    fc.property(fc.array(build, { minLength: 1, maxLength: 12 }), (builds) => {
      const last = new Map<string, number>();
      let gone: ReturnType<typeof extendGone> = {};
      let before: Parameters<typeof extendGone>[0];
      builds.forEach((keys, at) => {
        const parcels = [...keys.map((key) => parcel(key)), parcel(`assets/x-${at}.js`, "fingerprinted")];
        gone = extendGone(before, parcels);
        before = { release: at + 1, parcels, gone };
        for (const key of keys) last.set(key, at + 1);
        const truth = [...last].filter(([key]) => !keys.includes(key)).sort();
        expect(Object.entries(gone).flatMap(([release, own]) => own.map((key) => [key, Number(release)])).sort()).toEqual(truth);
      });
    }),
    { seeds: [1], numRuns: 200 },
  );
}); // prettier-ignore

test("it stays small: the oldest are let go of first", () => {
  const many = (name: string): RecordedParcel[] =>
    Array.from({ length: 4000 }, (_, at) => parcel(`${name}/${at}`));
  const gone = extendGone(
    { release: 7, parcels: many("new"), gone: { 3: many("old").map(({ key }) => key) } },
    [],
  );
  expect([gone[7]?.length, gone[3]?.length]).toEqual([4000, 1000]);
});

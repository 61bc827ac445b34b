import fc from "fast-check";
import { holds } from "../../../test/support/seeds.ts";
import type { RecordedParcel } from "../model/parcel.ts";
import type { DestinationState, Waybill } from "../model/release.ts";
import { foldName, takeCaseOf } from "./fold-case.ts";

const key = fc.stringMatching(/^[aAbB\u00e9]{1,3}$/);
const keys = fc.uniqueArray(key, { maxLength: 8 });

const toState = (listed: string[], parcels: string[], standing: string[]): DestinationState => {
  const record = (all: string[]) => all.map((one) => ({ key: one }) as RecordedParcel);
  return {
    listing: listed.map((one) => ({ key: one, size: 1, etag: one, modifiedMs: 0 })),
    waybill: { parcels: record(parcels), standing: record(standing) } as unknown as Waybill,
    storeTimeMs: 0,
    foldsCase: true,
  };
};

test("what stands is known by the names that are wanted, each once, and nothing is lost or made up", async () => {
  const cases = fc.property(keys, keys, keys, keys, (listed, parcels, standing, wanted) => {
    const state = toState(listed, parcels, standing);
    const { listing, waybill } = takeCaseOf(state, wanted);
    const folded = (all: readonly { readonly key: string }[] = []): string[] => all.map((one) => foldName(one.key)).sort(); // prettier-ignore
    const unique = (all: string[]): string[] => [...new Set(all.map(foldName))].sort();
    // Disks that take two names for one list one of them.
    const names = new Map(wanted.map((one) => [foldName(one), one]));
    for (const one of [...listing, ...(waybill?.parcels ?? [])])
      if (names.has(foldName(one.key))) expect(one.key).toBe(names.get(foldName(one.key)));
    expect(unique(folded(listing))).toEqual(unique(listed));
    const [own, rest] = [waybill?.parcels ?? [], waybill?.standing ?? []].map((all) => all.map((one) => one.key)); // prettier-ignore
    expect(new Set([...(own ?? []), ...(rest ?? [])]).size).toBe((own ?? []).length + (rest ?? []).length);
    expect(unique(folded([...(waybill?.parcels ?? []), ...(waybill?.standing ?? [])]))).toEqual(unique([...parcels, ...standing])); // prettier-ignore
  });
  await holds(cases, { seeds: [1, 2, 3], numRuns: 200 });
  const plain = { ...toState(["A"], ["A"], []), foldsCase: false };
  expect(takeCaseOf(plain, ["a"])).toBe(plain);
});

import * as fc from "fast-check";
import { PureDestination } from "../../../test/support/pure-destination.ts";
import { holds } from "../../../test/support/seeds.ts";
import { vaultKey } from "../model/names.ts";
import { findLastListed, selectListed, toVaultLists } from "./last-listed.ts";

const FILES = ["index.html", "fares.html", "app.css", "logo.svg", "data.json"];

/** Few contents and few names, so that both come back, together and apart. */
const builds = fc.array(
  fc.dictionary(fc.constantFrom(...FILES), fc.constantFrom("one", "two", "three"), {
    maxKeys: 5,
    noNullPrototype: true,
  }),
  { minLength: 4, maxLength: 12 },
);

test("the newest record alone tells what the vault must hold: all that a retained release lists, and nothing else", async () => {
  await holds(
    fc.property(builds, fc.integer({ min: 1, max: 4 }), fc.nat(11), (all, releases, unaware) => {
      const place = new PureDestination();
      place.retention = { releases, forSeconds: 0 };
      for (const [turn, files] of all.entries()) {
        const { wanted } = place.analyse({ "index.html": "entry", ...files });
        place.deliver(wanted);
        const release = place.pointer?.release ?? 0;
        const newest = place.waybills.get(release);
        // A version that notes nothing has made this one.
        if (turn === unaware && newest) place.waybills.set(release, { ...newest, vault: undefined } as never);
        const listed = new Set(
          (place.pointer?.retained ?? []).flatMap((retained) =>
            (place.waybills.get(retained.release)?.parcels ?? []).map(({ storedHash }) => storedHash),
          ),
        );
        const stands = new Set([...place.objects.values()].map((object) => object.hash));
        expect([...listed].filter((hash) => !stands.has(hash))).toEqual([]);
        const vault = [...place.objects.keys()].filter((key) => key.startsWith(vaultKey("")));
        expect(vault.filter((key) => ![...listed].some((hash) => vaultKey(hash) === key))).toEqual([]);
      }
    }),
    { seeds: [1], numRuns: 80 },
  );
});

test("a content counts for the last release that lists it; of those before the oldest that stays nothing is noted", () => {
  const parcel = (storedHash: string, lastIn?: number) => ({ storedHash, lastIn }) as never;
  const waybill = {
    release: 9,
    vault: { 3: ["a", "b"], 5: ["c"] },
    standing: [parcel("b", 8)],
    parcels: [parcel("d")],
    keptSettings: ["e"],
  } as never;
  const last = findLastListed({ waybill }, undefined);
  expect(last).toEqual(new Map([["a", 3], ["b", 8], ["c", 5], ["d", 9], ["e", 9]])); // prettier-ignore
  const retained = [9, 5, 0].map((release) => ({ release })) as never;
  const stay = selectListed(last ?? new Map(), retained);
  expect([...stay.keys()]).toEqual(["b", "c", "d", "e"]);
  expect(toVaultLists(stay, new Set(["b", "d"].map(vaultKey)))).toEqual({ 8: ["b"], 9: ["d"] });
  expect(selectListed(last ?? new Map(), []).size).toBe(0);
});

test("a record that says nothing of the vault needs the older ones", () => {
  const list = (release: number, ...hashes: string[]) =>
    ({ release, standing: [], parcels: hashes.map((storedHash) => ({ storedHash })) }) as never;
  const waybill = list(4, "a");
  expect(findLastListed({ waybill }, undefined)).toBeUndefined();
  expect(findLastListed({ waybill }, [list(3, "a", "b"), list(0, "c")])).toEqual(new Map([["b", 3], ["a", 4]])); // prettier-ignore
  expect(findLastListed({}, undefined)).toEqual(new Map());
});

// A build of 100,000 parcels against a list of as many objects, in the core alone. Floor: a Map of one and a look for each of
// the other. node bench/comparison.mjs
import { interleave, loadCore, report } from "./measure.mjs";

const COUNT = 100_000;
const { compareParcels } = await loadCore(`export * from "./src/core/compare/compare.ts";`);

const hashOf = (index) => index.toString(16).padStart(64, "0");
const keyOf = (index) => `section-${index % 97}/page-${index}/index.html`;
const HEADERS = { "content-type": "text/html; charset=utf-8", "cache-control": "public, max-age=0" };
const parcels = Array.from({ length: COUNT }, (_, index) => ({
  ...{ key: keyOf(index), hash: hashOf(index), storedHash: hashOf(index), size: index },
  ...{ headers: HEADERS, role: "page" },
}));
const listing = parcels.map(({ key, size }, index) => ({ key, size, etag: `e${index}`, modifiedMs: 1 }));
const recorded = parcels.map((parcel, index) => ({ ...parcel, etag: `e${index}` }));
const retained = [{ release: 1, run: "r", waybillHash: "", at: "", pageFreshnessSeconds: 0 }];
const state = {
  ...{ listing, storeTimeMs: 2, carriesHeaders: true },
  pointer: { site: "s", release: 1, run: "r", retained, owed: [], announced: {} },
  waybill: { site: "s", release: 1, run: "r", previous: 0, at: "", by: "", parcels: recorded, standing: [] },
};

let unchanged = 0;
const { floor, ours } = await interleave({
  floor: () => {
    const byKey = new Map(listing.map((object) => [object.key, object]));
    for (const { key } of parcels) if (!byKey.has(key)) throw new Error("not there");
  },
  ours: () => ({ length: unchanged } = compareParcels(parcels, state).unchanged),
});
if (unchanged !== COUNT) throw new Error(`${unchanged} are unchanged`);
report("comparison of 100,000 parcels with as many objects, in the core", {
  ...{ floor: "a Map of the objects, and a look for each parcel", goal: 3 },
  floorMs: Math.round(floor.wallMs),
  oursMs: Math.round(ours.wallMs),
  ratio: Number((ours.wallMs / floor.wallMs).toFixed(2)),
  floorCpuMs: Math.round(floor.cpuMs),
  cpuMs: Math.round(ours.cpuMs),
});

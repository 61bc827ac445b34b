// The best pattern set: 100,000 addresses, 5,000 to go, 15 wildcards. Floor: a sort of the addresses. node bench/cover.mjs
import { interleave, loadCore, report } from "./measure.mjs";

const EDGE = { wildcard: "prefix", reachesQuery: true, mostPatterns: 3000, mostWildcards: 15, worth: 64_000 };

const { coverAddresses, indexLive } = await loadCore(
  `export * from "./src/core/edges/cover/cover.ts"; export * from "./src/core/edges/cover/live-addresses.ts";`,
);
for (const spread of ["scattered", "clustered"]) {
  const { sizes, mustGo } = makeSite(spread);
  const addresses = [...sizes.keys()];
  for (const query of ["ignored", "keyed"]) {
    let cover;
    const { floor, ours } = await interleave({
      floor: () => addresses.toSorted(),
      ours: () => (cover = coverAddresses(mustGo, indexLive(sizes), { ...EDGE, query })),
    });
    report(`best pattern set, ${spread}, queries ${query}`, {
      addresses: sizes.size,
      toGo: mustGo.length,
      floor: "a sort of the addresses",
      ratio: Number((ours.wallMs / floor.wallMs).toFixed(2)),
      floorMs: Math.round(floor.wallMs),
      floorCpuMs: Math.round(floor.cpuMs),
      oursMs: Math.round(ours.wallMs),
      cpuMs: Math.round(ours.cpuMs),
      patterns: cover.patterns.length,
      collateralMb: Math.round(cover.collateral.bytes / 1e6),
      gapBytes: cover.gap,
    });
  }
}

/** A made-up site, the same each time: 2,400 folders, 5,000 of 100,000 addresses to go, alone or in runs of neighbours. */
function makeSite(spread) {
  let seed = 7;
  const random = (most) => (seed = (seed * 48_271) % 2_147_483_647) % most;
  const sizes = new Map();
  for (let index = 0; index < 100_000; index++)
    sizes.set(`/${random(40)}/${random(60)}/page-${index.toString(36)}/`, 500 + random(60_000));
  const all = [...sizes.keys()].sort();
  const chosen = new Set();
  while (chosen.size < 5000) {
    const start = random(all.length - 400);
    const run = spread === "scattered" ? 1 : 300;
    for (let index = 0; index < run && chosen.size < 5000; index++)
      if (run === 1 || random(10) < 8) chosen.add(all[start + index]);
  }
  return { sizes, mustGo: [...chosen].map((address) => ({ address, hasQueries: true })) };
}

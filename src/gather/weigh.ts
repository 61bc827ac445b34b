import { brotliCompressSync, constants, gzipSync } from "node:zlib";
import type { Analysis } from "../core/build/analysis.ts";
import { createFirstVisitFinder } from "../core/build/first-visit.ts";
import type { FirstVisit } from "../core/model/wanted.ts";
import type { ObjectKey } from "../core/model/names.ts";
import type { Parcel } from "../core/model/parcel.ts";
import type { Weight } from "../core/build/weight.ts";
import type { BuildSource } from "../ports/build-source.ts";

/** What edges compress, and from which size on. */
const COMPRESSIBLE =
  /^(text\/|application\/(javascript|json|manifest\+json|xml|wasm|ld\+json)|image\/svg|font\/(ttf|otf)|model\/)/;
const LEAST_BYTES = 1024;
/** Larger files are not held in memory; they are media as a rule. */
const MOST_BYTES = 8 * 1024 * 1024;
const GZIP_LEVEL = 6;
const BROTLI_QUALITY = 5;

/** What a first visit to the entry page loads; undefined where there is none. */
export function weighFirstVisit(
  source: BuildSource,
  { wanted: { parcels }, findings: { graph } }: Analysis,
): (FirstVisit & { readonly files: ReadonlySet<ObjectKey> }) | undefined {
  const page = parcels.find(({ role, aliasOf }) => role === "entry" && aliasOf === undefined)?.key;
  if (page === undefined) return undefined;
  const files = createFirstVisitFinder(graph)(page);
  const loaded = parcels.filter(({ key }) => files.has(key));
  const weights = weighParcels(source, loaded);
  return {
    page,
    files,
    wire: loaded.reduce((sum, { key, size }) => sum + (weights.get(key)?.brotli ?? size), 0),
  };
}

/** What each file weighs as sent by an edge that compresses; only those that it would. */
export function weighParcels(source: BuildSource, parcels: readonly Parcel[]): Map<string, Weight> {
  const weights = new Map<string, Weight>();
  for (const parcel of parcels) {
    const { key, size, headers } = parcel;
    if (size < LEAST_BYTES || size > MOST_BYTES || !COMPRESSIBLE.test(headers["content-type"] ?? ""))
      continue;
    const bytes = source.open(parcel).open() as Uint8Array;
    const brotli = brotliCompressSync(bytes, {
      params: { [constants.BROTLI_PARAM_QUALITY]: BROTLI_QUALITY },
    }).length;
    weights.set(key, {
      gzip: Math.min(size, gzipSync(bytes, { level: GZIP_LEVEL }).length),
      brotli: Math.min(size, brotli),
    });
  }
  return weights;
}

import { promisify } from "node:util";
import { brotliCompress, constants, gzip } from "node:zlib";
import type { Analysis } from "../core/build/analysis.ts";
import { createFirstVisitFinder } from "../core/build/first-visit.ts";
import { runPool } from "../core/delivery/pool.ts";
import type { FirstVisit } from "../core/model/wanted.ts";
import type { ObjectKey, Sha256 } from "../core/model/names.ts";
import type { Parcel } from "../core/model/parcel.ts";
import type { Weight } from "../core/model/weight.ts";
import type { BuildSource } from "../ports/build-source.ts";

/** What edges compress, and from which size on. */
const COMPRESSIBLE =
  /^(text\/|application\/(javascript|json|manifest\+json|xml|wasm|ld\+json)|image\/svg|font\/(ttf|otf)|model\/)/;
const LEAST_BYTES = 1024;
/** Larger files are not held in memory; they are media as a rule. */
const MOST_BYTES = 8 * 1024 * 1024;
const GZIP_LEVEL = 6;
const BROTLI_QUALITY = 5;

/** How many files are compressed side by side; Node.js has four threads for it. */
const SIDE_BY_SIDE = 8;
const BROTLI = { params: { [constants.BROTLI_PARAM_QUALITY]: BROTLI_QUALITY } };

const [toGzip, toBrotli] = [promisify(gzip), promisify(brotliCompress)];

/** What a first visit to the entry page loads; undefined where there is none. */
export async function weighFirstVisit(
  source: BuildSource,
  { wanted: { parcels }, findings: { graph } }: Analysis,
): Promise<(FirstVisit & { readonly files: ReadonlySet<ObjectKey> }) | undefined> {
  const page = parcels.find(({ role, aliasOf }) => role === "entry" && aliasOf === undefined)?.key;
  if (page === undefined) return undefined;
  const files = createFirstVisitFinder(graph)(page);
  const loaded = parcels.filter(({ key }) => files.has(key));
  const weights = await weighContents(source, loaded, new Map());
  const loads = loaded.map(({ key, hash, size }) => ({ key, wire: weights.get(hash)?.brotli ?? size }));
  return { page, files, loads, wire: loads.reduce((sum, { wire }) => sum + wire, 0) };
}

/** What each file weighs as sent by an edge that compresses, by key; only those that it would. */
export async function weighParcels(
  source: BuildSource,
  parcels: readonly Parcel[],
): Promise<Map<ObjectKey, Weight>> {
  const known = source.weights?.read() ?? new Map<Sha256, Weight>();
  const weights = await weighContents(source, parcels, known);
  if ([...weights.keys()].some((hash) => !known.has(hash))) source.weights?.save(weights);
  const found = new Map<ObjectKey, Weight>();
  for (const parcel of parcels) {
    const weight = weights.get(parcel.hash);
    if (weight && isCompressible(parcel)) found.set(parcel.key, weight);
  }
  return found;
}

const isCompressible = ({ size, headers }: Parcel): boolean =>
  size >= LEAST_BYTES && size <= MOST_BYTES && COMPRESSIBLE.test(headers["content-type"] ?? "");

/** @param known what needs no compressing again */
async function weighContents(
  source: BuildSource,
  parcels: readonly Parcel[],
  known: ReadonlyMap<Sha256, Weight>,
): Promise<Map<Sha256, Weight>> {
  const weights = new Map<Sha256, Weight>();
  const toDo = new Map<Sha256, Parcel>();
  for (const parcel of parcels.filter(isCompressible)) {
    const weight = known.get(parcel.hash);
    if (weight) weights.set(parcel.hash, weight);
    else if (!toDo.has(parcel.hash)) toDo.set(parcel.hash, parcel);
  }
  await runPool(
    [...toDo.values()],
    () => SIDE_BY_SIDE,
    async (parcel) => {
      weights.set(parcel.hash, await weigh(source.open(parcel).open() as Uint8Array));
    },
  );
  return weights;
}

async function weigh(bytes: Uint8Array): Promise<Weight> {
  const [zipped, brotli] = await Promise.all([toGzip(bytes, { level: GZIP_LEVEL }), toBrotli(bytes, BROTLI)]);
  return { gzip: Math.min(bytes.length, zipped.length), brotli: Math.min(bytes.length, brotli.length) };
}

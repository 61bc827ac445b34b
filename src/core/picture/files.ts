import type { Change, Comparison } from "../compare/compare.ts";
import { findReleaseDifferences } from "../compare/release-differences.ts";
import { byText, type ObjectKey } from "../model/names.ts";
import type { Parcel } from "../model/parcel.ts";
import { stepsOf, targetOf, type Plan } from "../model/plan.ts";
import type { Waybill } from "../model/release.ts";
import type { Weight } from "../model/weight.ts";
import type { Fate, PictureFile } from "./picture.ts";

type Weights = ReadonlyMap<ObjectKey, Weight>;

/** A file of the build itself, and not an object made for an address. */
const isBuilt = ({ aliasOf, redirectsTo }: Parcel): boolean =>
  aliasOf === undefined && redirectsTo === undefined;

const toFile = (
  { key, role, size, headers }: Parcel,
  fate: Fate,
  weights: Weights,
): Pick<PictureFile, "key" | "role" | "size" | "headers" | "fate" | "wire"> => ({
  ...{ key, fate, role, size, headers },
  wire: weights.get(key)?.brotli ?? size,
});

/** What a delivery does with each file of the build, and with those that the build has no more; sorted by key. */
export function toPictureFiles(
  { comparison, plan }: { readonly comparison: Comparison; readonly plan: Plan },
  weights: Weights,
): PictureFile[] {
  const steps = plan.phases.flatMap(stepsOf);
  const sent = new Set(steps.flatMap((step) => (step.do === "send" ? [step.parcel.key] : [])));
  const removed = new Set(steps.filter((step) => step.do === "remove").map(targetOf));
  const ofChange = ({ kind, parcel, reason, listed, recorded }: Change): PictureFile => ({
    ...toFile(parcel, kind, weights),
    before: kind === "replaced" || kind === "drifted" ? (recorded?.size ?? listed?.size) : undefined,
    by: sent.has(parcel.key) ? "sending" : "copying",
    reason,
  });
  const files = [
    ...comparison.changes.filter(({ parcel }) => isBuilt(parcel)).map(ofChange),
    ...comparison.unchanged.filter(isBuilt).map((parcel) => toFile(parcel, "unchanged", weights)),
    ...comparison.stale
      .filter(({ recorded }) => isBuilt(recorded))
      .map(({ recorded }) => toFile(recorded, removed.has(recorded.key) ? "removed" : "kept", new Map())),
  ];
  return files.sort((a, b) => byText(a.key, b.key));
}

/** The files of a release, and what became of each since the one before; absent: nobody knows that. */
export function toReleaseFiles(release: Waybill, before: Waybill | undefined): PictureFile[] {
  const own = release.parcels.filter(isBuilt);
  const none: Weights = new Map();
  const standing = new Set(release.standing.map(({ key }) => key));
  if (!before) return own.map((parcel) => ({ ...toFile(parcel, "new", none), wire: undefined }));
  const earlier = new Map(before.parcels.map((parcel) => [parcel.key, parcel]));
  const fates = new Map(findReleaseDifferences(before, release).map(({ key, change }) => [key, change]));
  const files = own.map((parcel): PictureFile => {
    const fate = fates.get(parcel.key) ?? "unchanged";
    return {
      ...toFile(parcel, fate, none),
      wire: undefined,
      before: fate === "replaced" ? earlier.get(parcel.key)?.size : undefined,
    };
  });
  const gone = before.parcels
    .filter((parcel) => isBuilt(parcel) && fates.get(parcel.key) === "removed")
    .map((parcel): PictureFile => ({
      ...toFile(parcel, standing.has(parcel.key) ? "kept" : "removed", none),
      wire: undefined,
    }));
  return [...files, ...gone].sort((a, b) => byText(a.key, b.key));
}

import { byUtf8, type ObjectKey } from "../model/names.ts";
import type { RecordedParcel } from "../model/parcel.ts";
import type { DestinationState } from "../model/release.ts";

/** Names of one form are one file where a disk does not tell case (or Unicode normal forms) apart. */
export const foldName = (name: string): string => name.normalize("NFC").toLowerCase();

/**
 * What stands at a destination, under the names that are wanted there, where its disk takes both for one: a file whose name
 * changes only in case is neither new nor in the way.
 */
export function takeCaseOf(state: DestinationState, wanted: readonly ObjectKey[]): DestinationState {
  if (state.foldsCase !== true) return state;
  const names = new Map(wanted.map((key) => [foldName(key), key]));
  const nameOf = (key: ObjectKey): ObjectKey => names.get(foldName(key)) ?? key;
  const rename = <T extends { readonly key: ObjectKey }>(all: readonly T[]): T[] =>
    all.map((one) => (nameOf(one.key) === one.key ? one : { ...one, key: nameOf(one.key) }));
  const { waybill, listing } = state;
  return {
    ...state,
    listing: withoutTwins(rename(listing)).sort((a, b) => byUtf8(a.key, b.key)),
    ...(waybill && { waybill: { ...waybill, ...renameParcels(waybill, rename) } }),
  };
}

type Parcels = Readonly<Record<"parcels" | "standing", readonly RecordedParcel[]>>;

/** What a release lists goes before what only still stands. */
function renameParcels(
  { parcels, standing }: Parcels,
  rename: (all: readonly RecordedParcel[]) => RecordedParcel[],
): Parcels {
  const own = withoutTwins(rename(parcels));
  const keys = new Set(own.map(({ key }) => key));
  return { parcels: own, standing: withoutTwins(rename(standing)).filter(({ key }) => !keys.has(key)) };
}

function withoutTwins<T extends { readonly key: ObjectKey }>(all: readonly T[]): T[] {
  const seen = new Set<ObjectKey>();
  return all.filter(({ key }) => !seen.has(key) && seen.add(key));
}

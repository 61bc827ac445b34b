import { isPreviewName } from "../addresses/preview-name.ts";
import { HOLD_KEY, isStateKey, POINTER_KEY, STATE_PREFIX, type ObjectKey } from "../model/names.ts";
import type { ListedObject } from "../model/parcel.ts";
import type { Pointer } from "../model/release.ts";

/** A preview as it stands in the store. */
export interface FoundPreview {
  /** Its name as it stands in its prefix. */
  readonly label: string;
  /** Its own objects, records and vault included. */
  readonly objects: number;
  /** What these take, in bytes. */
  readonly bytes: number;
  /** When one of them was last written, by the store's clock, in milliseconds since 1970. */
  readonly touchedMs: number;
  /** The store's clock when it was asked. */
  readonly storeTimeMs: number;
  /** Absent: no delivery has come to its end there. */
  readonly pointer?: Pointer | "unreadable" | undefined;
}

/** Every preview of a list, by what stands below their common folder. What has no records of ours, or no fit name, is none. */
export function toFoundPreviews(listing: readonly ListedObject[], storeTimeMs: number): FoundPreview[] {
  const found = new Map<string, { objects: number; bytes: number; touchedMs: number; isOurs: boolean }>();
  for (const { key, size, modifiedMs } of listing) {
    const at = key.indexOf("/");
    const label = key.slice(0, Math.max(0, at));
    if (!isPreviewName(label)) continue;
    const known = found.get(label) ?? { objects: 0, bytes: 0, touchedMs: 0, isOurs: false };
    known.objects += 1;
    known.bytes += size;
    known.touchedMs = Math.max(known.touchedMs, modifiedMs);
    known.isOurs ||= key.startsWith(STATE_PREFIX, at + 1);
    found.set(label, known);
  }
  return [...found].flatMap(([label, { isOurs, ...facts }]) =>
    isOurs ? [{ label, storeTimeMs, ...facts }] : [],
  );
}

/** A first delivery that died is cleared away after so long. */
const UNFINISHED_MS = 86_400_000;

/** Whether the time of a preview is over, by the store's clock. */
export function isOver({ pointer, touchedMs, storeTimeMs }: FoundPreview): boolean {
  if (!pointer) return storeTimeMs - touchedMs > UNFINISHED_MS;
  // Nobody knows whose it is, or for how long: it goes by its name alone.
  if (pointer === "unreadable") return false;
  const { preview } = pointer;
  return preview !== undefined && Date.parse(preview.until) <= storeTimeMs;
}

/** Those of them whose time is over. */
export const selectOver = (previews: readonly FoundPreview[]): FoundPreview[] => previews.filter(isOver);

/**
 * All previews but these. What has records and is no preview (another project's site in the same folder), or can't be read,
 * is not meant by being left out.
 * @param kept labels
 */
export const selectOthers = (previews: readonly FoundPreview[], kept: ReadonlySet<string>): FoundPreview[] =>
  previews.filter(
    ({ label, pointer }) =>
      !kept.has(label) &&
      (pointer === undefined || (pointer !== "unreadable" && pointer.preview !== undefined)),
  );

/** Once less than this share of its time is left, a delivery that changes nothing begins it anew. */
const LEAST_SHARE = 0.5;

/** Whether the time of a preview that was delivered once more, and changed nothing, is to begin anew. */
export function isToProlong({ preview }: Pointer, lastsSeconds: number, nowMs: number): boolean {
  const leftMs = preview === undefined ? 0 : Date.parse(preview.until) - nowMs;
  return leftMs < lastsSeconds * 1000 * LEAST_SHARE;
}

/**
 * The keys of a preview, one group after the other: pages, what they load, records, the pointer. A page is gone before what it
 * names, and what says that there is a preview goes last. The hold is not among them.
 */
export function toRemovalOrder(listing: readonly ListedObject[]): ObjectKey[][] {
  const keys = listing.map(({ key }) => key).filter((key) => key !== HOLD_KEY);
  const isPage = (key: ObjectKey): boolean => /(\/|\.x?html?|(^|\/)[^./]+)$/i.test(key);
  const own = keys.filter((key) => !isStateKey(key));
  const groups = [
    own.filter(isPage),
    own.filter((key) => !isPage(key)),
    keys.filter((key) => isStateKey(key) && key !== POINTER_KEY),
    keys.filter((key) => key === POINTER_KEY),
  ];
  return groups.filter((group) => group.length > 0);
}

import { byUtf8, vaultKey, type ObjectKey } from "../core/model/names.ts";
import type { ListedObject } from "../core/model/parcel.ts";
import type { ListRange, ObjectStore } from "../ports/object-store.ts";

/** What stands below the prefix, in the order of its keys, and the store's clock when it answered. */
export interface Listed {
  readonly listing: readonly ListedObject[];
  /** Milliseconds since 1970. */
  readonly storeTimeMs: number;
  /** Whether names that differ only in case are one there; absent: they are not. */
  readonly foldsCase?: boolean;
}

/** Objects of one part of a list that is read side by side with others: a few pages. */
const PART = 2500;
const MOST_PARTS = 8;
/** The vault's keys are hashes, so its quarters are alike. How many are in it nobody knows before. */
const QUARTERS = ["4", "8", "c"];

/** Where a list may be split so that its parts are of about the same length. @param keys what stands there, as far as is known */
export function chooseSplits(keys: readonly ObjectKey[]): ObjectKey[] {
  const parts = Math.min(MOST_PARTS, Math.floor(keys.length / PART));
  if (parts < 2) return [];
  const sorted = [...keys].sort(byUtf8);
  const splits = QUARTERS.map((digit) => vaultKey(digit));
  for (let part = 0; part < parts; part++)
    splits.push(sorted[Math.floor((part * sorted.length) / parts)] as ObjectKey);
  return splits.sort(byUtf8);
}

/**
 * Lists everything below the prefix: page after page at first, then, when the splits are known, in parts side by side. Wrong splits make parts of unequal length and nothing else. Where a store turns out not to list in the order
 * of UTF-8, or not from where it is asked to, the list is read once more from its beginning to its end.
 */
export async function listAll(
  store: ObjectStore,
  splits: Promise<readonly ObjectKey[]> = Promise.resolve([]),
): Promise<Listed> {
  if (!store.listsFromAnywhere) return toListed([await readPart(store)]);
  let until: ObjectKey | undefined;
  let hasEnded = false as boolean;
  const first = readPart(store, { until: () => until }).finally(() => (hasEnded = true));
  const others = splits.then((all) => {
    const ahead = hasEnded ? [] : all;
    [until] = ahead;
    return Promise.all(
      ahead.map((after, place) => readPart(store, { after, until: () => ahead[place + 1] })),
    );
  });
  // Both to their end, so that a failure of one leaves no call behind that goes on trying.
  const [begun, rest] = await Promise.allSettled([first, others]);
  if (begun.status === "rejected") throw begun.reason;
  if (rest.status === "rejected") throw rest.reason;
  const parts = [begun.value, ...rest.value];
  return parts.length === 1 || parts.every(isInOrder) ? toListed(parts) : toListed([await readPart(store)]);
}

interface Part extends Listed {
  readonly after: ObjectKey | undefined;
}

async function readPart(store: ObjectStore, range?: ListRange): Promise<Part> {
  const listing: ListedObject[] = [];
  let storeTimeMs = 0;
  let foldsCase = false;
  for await (const page of store.list("", range)) {
    for (const object of page.objects) listing.push(object);
    storeTimeMs = page.storeTimeMs ?? storeTimeMs;
    foldsCase ||= page.foldsCase === true;
  }
  return { listing, storeTimeMs, ...(foldsCase && { foldsCase }), after: range?.after };
}

const isInOrder = ({ listing, after }: Part): boolean =>
  listing.every(({ key }, place) => {
    const before = place === 0 ? after : listing[place - 1]?.key;
    return before === undefined || byUtf8(before, key) < 0;
  });

/** A part goes on to the end of its last page, where the next one begins: what stands twice is taken once. */
function toListed(parts: readonly Part[]): Listed {
  const [first = { listing: [] }] = parts;
  const listing = parts.length === 1 ? first.listing : [...withoutOverlap(parts)];
  const storeTimeMs = parts.reduce((latest, part) => Math.max(latest, part.storeTimeMs), 0);
  // A store that tells no time is as old as the youngest thing in it, at least.
  return {
    listing,
    ...(parts.some(({ foldsCase }) => foldsCase) && { foldsCase: true }),
    storeTimeMs: storeTimeMs || listing.reduce((latest, { modifiedMs }) => Math.max(latest, modifiedMs), 0),
  };
}

function* withoutOverlap(parts: readonly Part[]): Generator<ListedObject> {
  let last: ObjectKey | undefined;
  for (const { listing } of parts)
    for (const object of listing) {
      if (last !== undefined && byUtf8(object.key, last) <= 0) continue;
      last = object.key;
      yield object;
    }
}

import { HOLD_KEY, isStateKey, OPEN_PREFIX, vaultKey, type ObjectKey } from "../core/model/names.ts";
import { mapStore } from "../ports/map-store.ts";
import type { ObjectStore, RequestTally } from "../ports/object-store.ts";

/** What a write has to pass: open until a run holds its destination, then that run's fence (hold.ts). */
export interface WriteGate {
  assertOurs: (() => Promise<void>) | undefined;
}

/** The hold itself and a run's own record: neither harms anybody. */
const isRunRecord = (key: ObjectKey): boolean => key === HOLD_KEY || key.startsWith(OPEN_PREFIX);

/**
 * The same store, each try of a write begun only while the destination is surely ours (O8). Writes to the hold and to a run's
 * own record pass; their removals do not.
 */
export const gateWrites = (store: ObjectStore, gate: WriteGate): ObjectStore => {
  const gated = mapStore(store, {
    call: async ({ writes }, task) => {
      if (writes) await gate.assertOurs?.();
      return task();
    },
  });
  return { ...gated, put: (key, ...rest) => (isRunRecord(key) ? store : gated).put(key, ...rest) };
};

/** The same store, with a count of what it has confirmed to have written or removed; what a run says of itself is left out. */
export const countWrites = (store: ObjectStore, tally: RequestTally): ObjectStore =>
  mapStore(store, {
    call: async ({ keys = [] }, task) => {
      const done = await task();
      tally.written += keys.filter((key) => !isRunRecord(key)).length;
      return done;
    },
  });

/** The largest object that a run knows of, in bytes: no answer of a visitor's is much larger. 0 until it has seen one. */
export interface LargestSeen {
  bytes: number;
}

/** The same store, with a note of the largest object that it lists or takes. The tool's own records tell nothing of the site. */
export function noteLargest(store: ObjectStore, largest: LargestSeen): ObjectStore {
  const note = (key: ObjectKey, bytes: number): void => {
    if (!isStateKey(key) || key.startsWith(vaultKey(""))) largest.bytes = Math.max(largest.bytes, bytes);
  };
  return {
    ...store,
    list: async function* (below, range) {
      for await (const page of store.list(below, range)) {
        for (const { key, size } of page.objects) note(key, size);
        yield page;
      }
    },
    put: (key, content, ...rest) => {
      note(key, content.size);
      return store.put(key, content, ...rest);
    },
  };
}

import { HOLD_KEY, OPEN_PREFIX } from "../core/model/names.ts";
import type { ObjectStore } from "../ports/object-store.ts";

/** What a write has to pass: open until a run holds its destination, then that run's fence (hold.ts). */
export interface WriteGate {
  assertOurs: (() => Promise<void>) | undefined;
}

/** The same store, each try of a write begun only while the destination is surely ours (O8). The hold itself and a run's own record pass: neither harms anybody. */
export function gateWrites(store: ObjectStore, gate: WriteGate): ObjectStore {
  const { versions } = store;
  const pass = async <T>(call: () => Promise<T>): Promise<T> => {
    await gate.assertOurs?.();
    return call();
  };
  return {
    location: store.location,
    carriesHeaders: store.carriesHeaders,
    list: (below) => store.list(below),
    head: (key) => store.head(key),
    get: (key) => store.get(key),
    put: (key, ...rest) =>
      key === HOLD_KEY || key.startsWith(OPEN_PREFIX)
        ? store.put(key, ...rest)
        : pass(() => store.put(key, ...rest)),
    copy: (...args) => pass(() => store.copy(...args)),
    remove: (...args) => pass(() => store.remove(...args)),
    versions: versions && {
      list: () => versions.list(),
      isLocked: () => versions.isLocked(),
      read: (version) => versions.read(version),
      remove: (chosen) => pass(() => versions.remove(chosen)),
    },
    abandonUploads: (keys) => pass(() => store.abandonUploads(keys)),
    isPublic: (key) => store.isPublic(key),
    readWebsite: () => store.readWebsite(),
    writeWebsite: (settings) => pass(() => store.writeWebsite(settings)),
    close: () => {
      store.close();
    },
  };
}

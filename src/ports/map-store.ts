import type { ObjectKey } from "../core/model/names.ts";
import type { ObjectStore } from "./object-store.ts";

/** A call of a store, as far as those need to know who wrap it. */
interface StoreCall {
  /** Whether it may change what stands in the store. */
  readonly writes: boolean;
  /** What it writes or removes; empty where that is no object. */
  readonly keys?: readonly ObjectKey[];
}

/** What lies around each call. */
export interface Around {
  readonly call: <T>(call: StoreCall, task: () => Promise<T>) => Promise<T>;
  /** Around what comes page by page; absent: nothing. */
  readonly pages?: <Page>(list: () => AsyncIterable<Page>) => AsyncIterable<Page>;
}

const READS: StoreCall = { writes: false };

/** The same store with something around each of its calls. A new method of the port has its place here, and nowhere else. */
export function mapStore(store: ObjectStore, { call, pages = (list) => list() }: Around): ObjectStore {
  const { versions } = store;
  return {
    location: store.location,
    carriesHeaders: store.carriesHeaders,
    list: (below, range) => pages(() => store.list(below, range)),
    listsFromAnywhere: store.listsFromAnywhere,
    head: (key) => call(READS, () => store.head(key)),
    get: (key) => call(READS, () => store.get(key)),
    put: (key, ...rest) => call({ writes: true, keys: [key] }, () => store.put(key, ...rest)),
    copy: (from, to, ...rest) => call({ writes: true, keys: [to] }, () => store.copy(from, to, ...rest)),
    remove: (keys, ...rest) => call({ writes: true, keys }, () => store.remove(keys, ...rest)),
    abandonUploads: (keys) => call({ writes: true }, () => store.abandonUploads(keys)),
    versions: versions && {
      list: () => pages(() => versions.list()),
      read: (version) => call(READS, () => versions.read(version)),
      remove: (chosen) => call({ writes: true }, () => versions.remove(chosen)),
      isLocked: () => call(READS, () => versions.isLocked()),
    },
    isPublic: (key) => call(READS, () => store.isPublic(key)),
    readWebsite: () => call(READS, () => store.readWebsite()),
    writeWebsite: (settings) => call({ writes: true }, () => store.writeWebsite(settings)),
    close: () => {
      store.close();
    },
  };
}

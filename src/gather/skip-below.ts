import { byUtf8, type ObjectKey } from "../core/model/names.ts";
import { mapStore } from "../ports/map-store.ts";
import type { ListPage, ListRange, ObjectStore } from "../ports/object-store.ts";

/** Comes after every name of a preview, and after few other names. */
const LAST = "~";

/**
 * The same store, whose list passes over a folder that belongs to others: previews below their destination would make each of
 * its lists as long as all of them together. A list that comes to the folder goes on behind it, at the cost of one request.
 * @param folder ends in a slash
 */
export function skipBelow(store: ObjectStore, folder: ObjectKey): ObjectStore {
  const behind = `${folder}${LAST}`;
  async function* list(below = "", range: ListRange = {}): AsyncIterable<ListPage> {
    let isInside = false;
    for await (const page of store.list(below, range)) {
      const objects = page.objects.filter(({ key }) => !key.startsWith(folder));
      const last = page.objects.at(-1)?.key;
      // What stands behind all previews is read like anything else: else the list would begin there again and again.
      isInside =
        last?.startsWith(folder) === true &&
        byUtf8(last, behind) < 0 &&
        below === "" &&
        store.listsFromAnywhere;
      yield { ...page, objects };
      if (isInside) break;
    }
    if (isInside) yield* list(below, { ...range, after: behind });
  }
  return { ...mapStore(store, { call: (_, task) => task() }), list };
}

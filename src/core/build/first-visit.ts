import type { ObjectKey } from "../model/names.ts";
import type { ReferenceGraph } from "../model/reference.ts";

/**
 * A function that lists what a browser loads for a first visit to a page: the page, what it and its frames name, styles and
 * static imports followed. What comes later is left out: dynamic imports, pictures that are loaded when they come into view,
 * further sizes of a picture, icons, hints for the next page. Of a font's forms the first counts.
 */
export function createFirstVisitFinder({ references }: ReferenceGraph): (page: ObjectKey) => Set<ObjectKey> {
  const next = new Map<ObjectKey, ObjectKey[]>();
  for (const { from, to, kind, isLater } of references) {
    const isLoaded = kind === "asset" || kind === "decoration" || kind === "frame";
    if (to === undefined || !isLoaded || isLater) continue;
    const own = next.get(from);
    if (own) own.push(to);
    else next.set(from, [to]);
  }
  return (page) => {
    const loaded = new Set([page]);
    // A set takes what is added while it is gone through.
    for (const at of loaded) for (const to of next.get(at) ?? []) loaded.add(to);
    return loaded;
  };
}

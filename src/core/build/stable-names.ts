import type { ObjectKey } from "../model/names.ts";
import type { Parcel } from "../model/parcel.ts";
import type { ProblemOf } from "../model/problem.ts";
import type { ReferenceGraph } from "../model/reference.ts";
import { isScriptOrStyle } from "../model/role.ts";
import { selectLoadedByPages, selectPagesLoading } from "./reference-graph.ts";

/** What is worth a word: so much alone, or less that is a good part of all scripts and styles that pages load. */
const MUCH_BYTES = 50_000;
const LEAST_BYTES = 10_000;
const MUCH_SHARE = 0.25;

/**
 * Scripts and styles that pages load under names without a hash: browsers ask for them anew on each visit, and a page of one
 * release can meet those of the other while a delivery is under way.
 */
export function findStableNames(
  parcels: readonly Parcel[],
  graph: ReferenceGraph,
): ProblemOf<"stable-names">[] {
  const byPages = selectLoadedByPages(graph);
  const all = parcels.filter(({ key }) => isScriptOrStyle(key) && byPages.has(key));
  const loaded = new Map(all.filter(({ role }) => role === "asset").map(({ key, size }) => [key, size]));
  const bytes = sumOf(loaded.values());
  const share = bytes / sumOf(all.map(({ size }) => size));
  const isMuch = bytes >= MUCH_BYTES || (bytes >= LEAST_BYTES && share >= MUCH_SHARE);
  if (loaded.size === 0 || !isMuch) return [];
  const pages = selectPagesLoading(graph, loaded.keys()).size;
  const facts = { bytes, files: loaded.size, pages, glob: toGlob(loaded) };
  return [{ code: "stable-names", severity: "note", facts }];
}

const sumOf = (sizes: Iterable<number>): number => [...sizes].reduce((sum, size) => sum + size, 0);

/** The folder that most of the bytes stand in, as a glob. */
function toGlob(loaded: ReadonlyMap<ObjectKey, number>): string {
  const folders = new Map<string, number>();
  for (const [key, size] of loaded) {
    const folder = key.slice(0, key.lastIndexOf("/") + 1);
    folders.set(folder, (folders.get(folder) ?? 0) + size);
  }
  const [most = ""] = [...folders].sort(([, a], [, b]) => b - a)[0] ?? [];
  return `${most}*.{js,css}`;
}

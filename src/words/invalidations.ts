import type { AskedAnew } from "../core/model/reasons.ts";
import { showAskedAnew } from "./reasons.ts";
import { counted } from "./text.ts";

/** Settings that would spare something, where it is not known what an edge does. */
export const showAskedAnewHint = (anew: AskedAnew): string =>
  `pages are asked for anew each time: ${showAskedAnew(anew)}; query: ignored, if it holds one copy for all, lets it keep them`;

/** @param patterns how many less; 0: only right copies are spared */
export const showQueryHint = (edge: string, patterns: number): string =>
  `whether ${edge} holds one copy for all queries is not known; if it does, query: ignored saves ${patterns > 0 ? counted(patterns, "pattern") : "right copies"}`;

/** What would be spared if the settings said how long the edge holds what allows no freshness. */
export const showFreshnessHint = (edge: string, addresses: number): string =>
  `whether ${edge} keeps to max-age=0 is not known; if it does, minimumFreshness: 0s spares ${counted(addresses, "address", "addresses")}`;

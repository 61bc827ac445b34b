import type { AskedAnew } from "../core/model/reasons.ts";
import { showAskedAnew } from "./reasons.ts";
import { counted } from "./text.ts";

/** Settings that would spare something, where it is not known what an edge does. */
export const showAskedAnewHint = (anew: AskedAnew): string =>
  `The edge may not keep pages: ${showAskedAnew(anew)}. If it ignores queries, set query: ignored, and it may.`;

/** @param patterns how many less; 0: only correct copies are spared */
export const showQueryHint = (edge: string, patterns: number): string =>
  `Does "${edge}" ignore queries (?a=1)? If so, set query: ignored: ${patterns > 0 ? `${counted(patterns, "pattern")} fewer` : "fewer correct copies are dropped"}.`;

/** What would be spared if the settings said how long the edge holds what allows no freshness. */
export const showFreshnessHint = (edge: string, addresses: number): string =>
  `Does "${edge}" obey max-age=0? If so, set minimumFreshness: 0s: ${counted(addresses, "address", "addresses")} fewer.`;

import { parseEdgeFreshness } from "../model/cache-control.ts";
import type { EdgeAbilities } from "../model/edge.ts";

/** What answered under an address before, as far as it is known: it is what an edge may hold. */
export type EarlierAnswer =
  /** An object of ours, with these headers. */
  | { readonly kind: "object"; readonly cacheControl: string | undefined }
  /** 'Not found'. */
  | { readonly kind: "missing" }
  /** Nobody knows: somebody else wrote there, or a run died, or the name was in use long ago. */
  | { readonly kind: "unknown" };

/**
 * Whether an edge may hold what answered before. What says that it must be asked for each time is held by nobody who keeps
 * to that (RFC 9111 §4.2); whether this edge does is believed only where the settings say so. What says nothing of its
 * freshness may be held for a heuristic time (§4.2.2).
 */
export function mayHold(edge: EdgeAbilities, earlier: EarlierAnswer): boolean {
  if (earlier.kind === "missing") return edge.negative !== 0;
  return earlier.kind === "unknown" || !(isZero(edge, earlier.cacheControl) && edge.minimumFreshness === 0);
}

/** Whether an answer would not be held if the edge kept to what it says, which it is not known to do. */
export const wouldBeSpared = (edge: EdgeAbilities, earlier: EarlierAnswer): boolean =>
  edge.minimumFreshness === undefined && earlier.kind === "object" && isZero(edge, earlier.cacheControl);

const isZero = ({ holdsFor }: EdgeAbilities, cacheControl: string | undefined): boolean =>
  (parseEdgeFreshness(cacheControl) ?? holdsFor) === 0;

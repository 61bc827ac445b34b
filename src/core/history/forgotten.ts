import { FORGOTTEN_PREFIX, type Sha256 } from "../model/names.ts";
import type { DestinationState } from "../model/release.ts";

/** Hashes of stored bytes that were removed for good: each has an object of its own, and early pointers named some. */
export function selectForgotten({
  listing,
  pointer,
}: Pick<DestinationState, "listing" | "pointer">): Set<Sha256> {
  const marked = listing
    .filter(({ key }) => key.startsWith(FORGOTTEN_PREFIX))
    .map(({ key }) => key.slice(FORGOTTEN_PREFIX.length));
  return new Set([...(pointer?.forgotten ?? []), ...marked]);
}

import type { ObjectKey, Sha256 } from "./names.ts";

/**
 * Names that were once delivered as immutable: browsers may hold them for a year after they last stood in the store, so
 * none of them may come back with other bytes.
 */
export type ImmutableNames = ReadonlyMap<ObjectKey, ImmutableName>;

export interface ImmutableName {
  readonly hash: Sha256;
  /** When it was last known to stand, milliseconds since 1970, by the store's clock. */
  readonly stoodMs: number;
  /** The last release that listed it; absent: written down by a version before 0.2. */
  readonly lastIn?: number;
  /** When the release after that one was made, milliseconds since 1970; absent: there is none yet, or nobody knows. */
  readonly supersededMs?: number;
}

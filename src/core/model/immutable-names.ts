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
}

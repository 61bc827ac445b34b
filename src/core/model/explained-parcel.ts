import type { Freshness } from "./freshness.ts";
import type { Parcel } from "./parcel.ts";
import type { HeaderSource, RoleReason } from "./reasons.ts";

/** Which rule set a value; later ones of the same header override. */
export interface HeaderTrace {
  readonly header: string;
  readonly value: string;
  readonly rule: HeaderSource;
}

/** A parcel with the reasons for what it is. */
export interface ExplainedParcel extends Parcel {
  readonly freshness: Freshness;
  /** How its headers came to be. */
  readonly trace: readonly HeaderTrace[];
  readonly roleReason: RoleReason;
}

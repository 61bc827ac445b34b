import type { ChangeKind } from "../compare/key-state.ts";
import { CHANGES } from "../compare/key-state.ts";
import type { EdgeInvalidation, AddressWeight } from "../model/plan.ts";
import type { ObjectKey, UrlPath } from "../model/names.ts";
import type { ObjectHeaders } from "../model/parcel.ts";
import type { ChangeReason } from "../model/reasons.ts";
import type { Role } from "../model/role.ts";

/** What becomes of a file: a change, nothing, or that it leaves the build, and goes or stands for open tabs. */
export const FATES = [...CHANGES, "unchanged", "removed", "kept"] as const;
export type Fate = ChangeKind | "unchanged" | "removed" | "kept";

/** A file of the build, or one that the build has no more. Sizes in bytes. */
export interface PictureFile {
  readonly key: ObjectKey;
  readonly fate: Fate;
  readonly role: Role;
  /** As it is stored. */
  readonly size: number;
  /** As sent by an edge that compresses; absent: nobody has weighed it. */
  readonly wire?: number | undefined;
  /** What stood there before; absent: nothing, or it is the same. */
  readonly before?: number | undefined;
  /** Whether its bytes are sent to the store, or copied inside it; absent: neither. */
  readonly by?: "sending" | "copying" | undefined;
  readonly reason?: ChangeReason | undefined;
  readonly headers: ObjectHeaders;
}

/** What a browser loads that has never been there, file by file. */
export interface PictureVisit {
  readonly page: ObjectKey;
  /** Bytes as sent compressed. */
  readonly wire: number;
  /** In the order in which the page and what it names ask for them. */
  readonly loads: readonly VisitLoad[];
  /** The same of the release before, its files as far as they were recorded; absent: nobody knows. */
  readonly before?: { readonly wire: number; readonly loads: readonly VisitLoad[] } | undefined;
}

export interface VisitLoad {
  readonly key: ObjectKey;
  readonly wire: number;
  /** Since the release before, or, in what was loaded before, until now. `gone`: it is loaded no more. */
  readonly is: "new" | "changed" | "same" | "gone" | "unknown";
}

/** What one pattern clears at an edge. */
export interface PatternTake {
  readonly pattern: UrlPath;
  /** Wrong addresses that go by it. */
  readonly clears: number;
  /** Right copies that go along. */
  readonly takes: AddressWeight;
}

/** What an edge is asked for, pattern by pattern. */
export interface PictureEdge extends Pick<EdgeInvalidation, "edge" | "collateral" | "everything"> {
  readonly addresses: readonly UrlPath[];
  readonly patterns: readonly PatternTake[];
}

/** How large a release is. */
export interface ReleaseSize {
  readonly release: number;
  /** ISO 8601 UTC. */
  readonly at: string;
  readonly files: number;
  /** Stored bytes by role. */
  readonly roles: Readonly<Partial<Record<Role, number>>>;
  /** Bytes of a first visit to its entry page, as sent; absent: not recorded. */
  readonly firstVisit?: number | undefined;
}

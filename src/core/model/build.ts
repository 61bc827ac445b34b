import type { Secret, UnreadText } from "./problem.ts";
import type { FingerprintName } from "./reasons.ts";
import type { Reference } from "./reference.ts";
import type { ObjectKey, Sha256 } from "./names.ts";

/** One file of the build as it was read. */
export interface BuildFile {
  readonly path: string;
  /** Bytes. */
  readonly size: number;
  readonly hash: Sha256;
  /** Its first bytes, for files whose name does not tell their type. */
  readonly head: Uint8Array;
  /** What it names, as written. */
  readonly references: readonly Reference[];
  /** What its text holds that nobody should be shown. */
  readonly secrets: readonly Secret[];
  /** Why what it names was not read, or not to its end; absent: it was, or it is of no kind that names anything. */
  readonly unread?: UnreadText | undefined;
}

export interface Build {
  readonly folder: string;
  readonly files: readonly BuildFile[];
  /** What the files' names show of hashes, by path. */
  readonly names: ReadonlyMap<ObjectKey, FingerprintName>;
  /** Hash tokens of names that some other file of the build names, each with the first such file. */
  readonly namedTokens: ReadonlyMap<string, ObjectKey>;
  /** Paths that were left out since they must never be shipped. */
  readonly withheld: readonly string[];
  /** Paths that were left out since they are neither files nor folders. */
  readonly special: readonly string[];
  /** Paths of files that go to one destination alone; absent: none. */
  readonly added?: ReadonlySet<ObjectKey> | undefined;
  /** The build's own files that these stand in front of. */
  readonly covered?: readonly BuildFile[] | undefined;
  /** A source of the project that was changed after the build was written. */
  readonly newerSource?: string | undefined;
}

/** Why a part of a build can't be read. */
export type UnreadablePart = "not-utf8" | "denied" | "too-long" | "failed";

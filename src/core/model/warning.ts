import type { TlsFault } from "./tls-fault.ts";
import type { EdgeFailure } from "./edge.ts";
import type { Hold } from "./hold.ts";
import type { ObjectKey, UrlPath } from "./names.ts";

/** A fresh object that visitors can't read. */
export interface Unseen {
  readonly address: UrlPath;
  /** What came instead of it. */
  readonly got: "nothing" | "other-bytes" | { readonly status: number };
  /** Why there is no safe connection, where that is why nothing came. */
  readonly tls?: TlsFault;
  /** What stood before and can be read all the same. */
  readonly before?: UrlPath;
}

/** Answers of an edge that are neither old nor new. */
export interface OddAnswers {
  /** Addresses. */
  readonly count: number;
  /** One of them, with its form and its status. */
  readonly first: string;
}

/** What a run meets on its way, and goes on. */
export type Warning =
  /** It waits for another run; undefined: whose hold can't be read. */
  | { readonly code: "queued"; readonly hold: Hold | undefined }
  /** It was to be cleared, and somebody else has written there meanwhile. */
  | { readonly code: "left"; readonly key: ObjectKey }
  /** A new type under an old ETag. */
  | { readonly code: "etag-kept"; readonly key: ObjectKey }
  | { readonly code: "edge-odd"; readonly edge: string; readonly odd: OddAnswers }
  /** An edge owes something and is no longer in the settings; `edge`: what it is. */
  | { readonly code: "edge-gone"; readonly edge: string; readonly addresses: number }
  /** `below`: how many addresses are asked for one by one instead. */
  | { readonly code: "no-patterns"; readonly edge: string; readonly tree: UrlPath; readonly below: number }
  | { readonly code: "edge-failed"; readonly edge: string; readonly failure: EdgeFailure }
  /** The store checks no conditions. */
  | { readonly code: "no-conditions" }
  | { readonly code: "not-visible"; readonly unseen: Unseen }
  /** Workers and version files that are still to be written: what edges hold of them is not wrong yet. */
  | { readonly code: "held-back"; readonly keys: readonly ObjectKey[] }
  /** A run that died has left its record. */
  | { readonly code: "open-record" };

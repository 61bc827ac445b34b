import type { TlsFault } from "./tls-fault.ts";
import type { UrlPath, Sha256 } from "./names.ts";

/** What an edge can be asked for, and what it does with what it holds. The core plans within it and assumes nothing more. */
export interface EdgeAbilities {
  /** What a `*` at a pattern's end may stand for: anything, whole path segments (`/news/*`), or it is not taken. */
  readonly wildcard: "prefix" | "segment" | "none";
  /** Whether a wildcard also reaches what is held under a query (`/news/?page=2`). */
  readonly reachesQuery: boolean;
  /** Whether it holds `/news/?a=1` apart from `/news/`; undefined: not known, which counts as `keyed`. */
  readonly query?: "ignored" | "keyed" | undefined;
  /** Patterns that one delivery may ask for. */
  readonly mostPatterns: number;
  /** How many of these may be wildcards. */
  readonly mostWildcards: number;
  /** Bytes of right copies that may be lost to spare one pattern. */
  readonly worth: number;
  /** With up to so many patterns a delivery no right copy is lost, whatever a pattern is worth. */
  readonly exactUpTo: number;
  /** Seconds for which it holds what says that it must not be reused; undefined: not known. Only 0 is relied upon. */
  readonly minimumFreshness?: number | undefined;
  /** Seconds for which it holds a response that says nothing of its freshness; undefined: not known. */
  readonly holdsFor?: number | undefined;
  /** Seconds for which it holds 'not found'; undefined: not known. Only 0 is relied upon. */
  readonly negative?: number | undefined;
}

/** An edge of a destination. */
export interface EdgeNeeds extends EdgeAbilities {
  /** What people call it. */
  readonly name: string;
  /** What it is, wherever it stands in the settings: under this it is written down what it owes. */
  readonly identity: string;
}

/** When an edge counts as having confirmed. */
export interface ConfirmationRule {
  /** Seconds between the first and the second time that it is asked. */
  readonly settle: number;
  /** Seconds that a fetch of it may be under way: nothing that it may have begun before the last write ends later. */
  readonly longestFetch: number;
  readonly readBack: ReadBackBudget;
  /** Whether it changes what it passes on, so that its answers can't be compared. */
  readonly rewrites: boolean;
}

/** How much of what an edge was asked for is read back. */
export type ReadBackBudget =
  | { readonly kind: "all" | "off" }
  /** As much as is answered within so many seconds. */
  | { readonly kind: "time"; readonly seconds: number }
  | { readonly kind: "most"; readonly addresses: number };

/**
 * How all copies of an address are cleared at one place of a cache: by one purge; by a purge in each form; by a purge in
 * each form with a visit before it; by a pattern that fits the address alone.
 */
export const CLEARING_WAYS = ["once", "each", "refetched", "pattern"] as const;
export type ClearingWay = (typeof CLEARING_WAYS)[number];

/** Which copies go by that way: all, forms that nobody has listed as well; those of some forms; none. */
export const CLEARED_FORMS = ["all", "some", "none"] as const;

/** What was found out about a place of a cache by trying. */
export interface KnownWay {
  readonly way: ClearingWay;
  readonly clears: (typeof CLEARED_FORMS)[number];
  /** Whether a wildcard took along what it should; absent: none was tried. */
  readonly takesWildcards?: boolean | undefined;
  /** When it was tried, ISO 8601 UTC. */
  readonly at: string;
}

/** Whether an edge can be asked for all addresses that begin alike. */
export const takesWildcards = ({ wildcard, mostWildcards }: EdgeAbilities): boolean =>
  wildcard !== "none" && mostWildcards > 0;

/** Whether copies under a query, which nobody can list, may be held apart. */
export const isKeyed = ({ query }: Pick<EdgeAbilities, "query">): boolean => query !== "ignored";

/** Whether everything that may be held under a query can be called back. */
export const canReachQueries = ({
  wildcard,
  reachesQuery,
  mostWildcards,
}: Pick<EdgeAbilities, "wildcard" | "reachesQuery" | "mostWildcards">): boolean =>
  wildcard !== "none" && reachesQuery && mostWildcards > 0;

/** Why an edge has not let go of what it was asked for. */
export type EdgeFailure = EdgeFailureFacts &
  (
    | { readonly kind: "no-credentials" | "credentials-refused" | "other" }
    /** `node`: of a cache, where it is not an interface with rights. */
    | { readonly kind: "denied"; readonly node?: string }
    /** `id`: what it does not know. */
    | { readonly kind: "not-found"; readonly id?: string }
    /** It takes no more for now. */
    | { readonly kind: "busy" }
    | { readonly kind: "unconfirmed"; readonly seconds: number; readonly wait: EdgeWait }
    /** There is no safe connection to it, or to one of its nodes. */
    | { readonly kind: "tls"; readonly tls: TlsFault; readonly node?: string }
    | { readonly kind: "unreachable" | "refused-purge" | "no-purges"; readonly node: string }
    /** `held`: the first address, with its form; `count`: how many such addresses there are. */
    | { readonly kind: "still-old" | "foreign" | "unreadable"; readonly held: string; readonly count: number }
    /** It answers with a failure of its own or of what it asks, or not at all. */
    | { readonly kind: "no-answer"; readonly held: string; readonly count: number }
    /** Addresses for which there was no time. */
    | { readonly kind: "unread"; readonly count: number }
    /** Nobody can look at what it answers. */
    | { readonly kind: "unseen" }
    /** It keeps a copy for each `Accept-Encoding`, and nobody can list those. */
    | { readonly kind: "unlisted-forms"; readonly node: string }
    /** An object of our own was held after each way of clearing it. */
    | { readonly kind: "clears-nothing"; readonly node: string }
    | { readonly kind: "wildcards-ignored"; readonly pattern: string; readonly address: string }
  );

interface EdgeFailureFacts {
  /** The code and the text of the edge's own answer, as far as there was one. */
  readonly code?: string | undefined;
  readonly answer?: string | undefined;
  readonly status?: number | undefined;
}

/** What is waited for at an edge. */
export type EdgeWait =
  /** That what is under way arrives, before it is asked once more. */
  | { readonly code: "settling" }
  | { readonly code: "confirmation" }
  /** That fetches end which it may have begun before the last write. */
  | { readonly code: "fetches" }
  /** That all is read back. */
  | { readonly code: "reading"; readonly read: number; readonly of: number }
  /** That invalidations of others end. */
  | { readonly code: "others" }
  | { readonly code: "retry"; readonly failure: EdgeFailure };

/** What an edge must answer with once it has forgotten. Hashes are of decoded content. */
export type RightAnswer =
  | { readonly kind: "content"; readonly hash: Sha256 }
  /** Whatever addresses are answered with that nobody knows. */
  | { readonly kind: "missing" }
  /** `to`: an address of the site or a URL. `hash`: of what stands there for edges that send nobody elsewhere. */
  | { readonly kind: "redirect"; readonly to: string; readonly hash: Sha256 };

/** An address that is read back. */
export interface ReadBack {
  readonly address: UrlPath;
  readonly right: RightAnswer;
}

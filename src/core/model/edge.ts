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
  /** Seconds for which it holds what says that it must not be reused; undefined: not known. Only 0 is relied upon. */
  readonly minimumFreshness?: number | undefined;
  /** Seconds for which it holds a response that says nothing of its freshness; undefined: not known. */
  readonly holdsFor?: number | undefined;
  /** Seconds for which it holds 'not found'; undefined: not known. Only 0 is relied upon. */
  readonly negative?: number | undefined;
}

/** An edge of a destination by name. */
export interface EdgeNeeds extends EdgeAbilities {
  readonly name: string;
}

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
    | { readonly kind: "unreachable" | "refused-purge" | "no-purges"; readonly node: string }
    /** `held`: the address with its form. */
    | { readonly kind: "still-old"; readonly held: string }
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
  /** That invalidations of others end. */
  | { readonly code: "others" }
  | { readonly code: "retry"; readonly failure: EdgeFailure };

/** What an edge must answer with once it has forgotten, and what it may not. Hashes are of decoded content. */
export interface ReadBack {
  readonly address: UrlPath;
  readonly right: Sha256 | "missing";
  /** Contents that answered there before; empty: not known. */
  readonly wrong: readonly Sha256[];
}

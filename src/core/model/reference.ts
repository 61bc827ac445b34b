import type { ObjectKey, UrlPath } from "./names.ts";

/**
 * What a file names:
 * - `asset`: the browser loads it with the page; without it the page is broken
 * - `decoration`: a picture or font of a style sheet, an icon, a hint to load ahead; without it the page works, only less well
 * - `frame`: a page within the page
 * - `link`: a person may go there
 * - `worker`: a service worker that a page registers
 * - `guess`: a text in a script that looks like an address
 */
export type ReferenceKind = "asset" | "decoration" | "frame" | "link" | "worker" | "guess";

/** One mention of another file, as it was written. */
export interface Reference {
  readonly kind: ReferenceKind;
  /** The address as written, not resolved. */
  readonly url: string;
  /** From 1. */
  readonly line: number;
  /** What it is resolved against, where that is not the file's own address: the page's `<base>`. */
  readonly base?: string;
  /** Not loaded with a first visit: a dynamic import, a picture below the fold, a further size of one, an icon, a hint. */
  readonly isLater?: true;
  /** Whether the page says which bytes it must be (W3C Subresource Integrity §3.5). */
  readonly isPinned?: true;
}

/** One reference with what it leads to. */
export interface ResolvedReference extends Reference {
  readonly from: ObjectKey;
  /** The file that answers there; undefined where none does. */
  readonly to?: ObjectKey;
  /** The address within the site; undefined for one that leads elsewhere. */
  readonly address?: UrlPath;
}

/** Which file of the build names which. Only references that stay within the site are in it. */
export interface ReferenceGraph {
  readonly references: readonly ResolvedReference[];
}

/** Addresses that pages need and that nothing answered, by the file that names them. */
export type MissingAssets = Readonly<Record<ObjectKey, readonly UrlPath[]>>;

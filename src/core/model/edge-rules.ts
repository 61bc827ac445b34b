import type { UrlPath } from "./names.ts";

/** A redirect that an edge answers by itself. */
export interface EdgeRedirect {
  /** Percent-encoded, with the base path. With a `*` at its end: all addresses that begin so. */
  readonly address: UrlPath;
  /** An address or a URL. With a `*` at its end: what the `*` of `address` stands for is put there. */
  readonly leadsTo: string;
  readonly status: 301 | 302 | 307 | 308;
}

/** How addresses lead to objects where nothing but the edge can say so. Addresses are percent-encoded, below the base path. */
export interface PageAddresses {
  /** Whether `docs/` leads to the index page of that folder. The site's first address always does. */
  readonly folders: boolean;
  /** The name of index pages: `index.html`. */
  readonly indexName: string;
  /** What is added to an address whose last part has no ending: `.html`, `/index.html`, or nothing. */
  readonly bare: string;
  /** Addresses to which something else is added, and what. */
  readonly others: Readonly<Record<string, string>>;
  /** The page that answers unknown addresses; absent: they are missing. */
  readonly entry?: string | undefined;
  /** Endings of files: with these an unknown address is missing all the same. In lower case, without the dot. */
  readonly endings: readonly string[];
}

/** Host names under which previews answer, where the edge leads them to the folder of each. */
export interface PreviewHosts {
  /** What stands before and after the preview's name: nothing, and `.preview.pelicansound.example`. In lower case. */
  readonly before: string;
  readonly after: string;
  /** The folder of all previews, as the origin is asked for it: `/previews/`. */
  readonly path: UrlPath;
}

/** What a release has an edge do by itself, with what objects can't carry. */
export interface EdgeRules {
  /** The path of the site's first address, with a slash at both ends. */
  readonly basePath: UrlPath;
  /** Places of other sites below it (previews), where only folders are resolved. Each ends in a slash. */
  readonly apart: readonly UrlPath[];
  /** Absent: no preview has a name that the edge knows. */
  readonly previews?: PreviewHosts | undefined;
  /** The first that matches counts. */
  readonly redirects: readonly EdgeRedirect[];
  /** Absent: the origin resolves addresses itself. */
  readonly pages?: PageAddresses | undefined;
  /** Headers of each answer, by name. */
  readonly headers: Readonly<Record<string, string>>;
}

/** A means of an edge that rules are made into. */
export type RuleMeans = "function" | "headers";

/** What the edge before a store can be given. */
export interface EdgeMeans {
  /** Whether it redirects and changes addresses. */
  readonly carriesRules: boolean;
  /** Whether it sets headers. */
  readonly setsHeaders: boolean;
  /** Headers that the settings want of it. */
  readonly headers: Readonly<Record<string, string>>;
  /** Where previews are, as their addresses begin. */
  readonly apart: readonly UrlPath[];
  readonly previews?: PreviewHosts | undefined;
}

/** Bytes that the code of a viewer function may have. */
export const MOST_FUNCTION_BYTES = 10_240;
/** Letters of one header's value. */
export const MOST_HEADER_LETTERS = 1783;
/** Headers besides those that have a place of their own. */
export const MOST_CUSTOM_HEADERS = 10;

import {
  createHeaderDecider,
  parseBrowserFreshness,
  parseEdgeFreshness,
  type HeaderDecision,
} from "./headers.ts";
import type { SiteRules } from "./site-rules.ts";
import { largest } from "../model/largest.ts";
import { byText, type Sha256 } from "../model/names.ts";
import type { Secret } from "../model/problem.ts";
import { isPageLike, type Parcel } from "../model/parcel.ts";
import type { RoleReason } from "../model/reasons.ts";
import type { Reference } from "./references/reference.ts";
import { parseAddress, type AddressRules } from "../addresses/addresses.ts";
import { resolveReference } from "../addresses/resolve.ts";
import { classifyRoles, isWorkerScript, type EarlierFile, type RoleDecision } from "./roles.ts";

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
}

export interface Build {
  readonly folder: string;
  readonly files: readonly BuildFile[];
  /** Hash tokens of names that some other file of the build names. */
  readonly namedTokens: ReadonlySet<string>;
  /** Paths that were left out since they must never be shipped. */
  readonly withheld: readonly string[];
  /** A source of the project that was changed after the build was written. */
  readonly newerSource?: string | undefined;
}

/** A parcel with the reasons for what it is. */
export interface ExplainedParcel extends Parcel, Pick<HeaderDecision, "freshness" | "trace"> {
  readonly roleReason: RoleReason;
}

/**
 * What each file of the build should be in the store, sorted by key; the same for any order of the files.
 * @param earlier what earlier releases had, by key: evidence that overrules names
 */
export function decideParcels(
  { files, namedTokens }: Build,
  { entry, notFound, headers: rules, addresses }: SiteRules,
  earlier: ReadonlyMap<string, EarlierFile>,
): ExplainedParcel[] {
  const paths = files.map(({ path }) => path);
  const errorPage = notFound ?? (paths.includes("404.html") ? "404.html" : undefined);
  const roles = classifyRoles({
    files,
    entry,
    notFound: errorPage,
    namedTokens,
    loadedByWorkers: findLoadedByWorkers(files, addresses),
    earlier,
  });
  const decideHeaders = createHeaderDecider(rules);
  return files
    .map(({ path, size, hash, head }) => {
      const { role, reason } = roles.get(path) as RoleDecision;
      const { headers, freshness, trace } = decideHeaders({ path, role, head });
      return { key: path, hash, storedHash: hash, size, role, roleReason: reason, headers, freshness, trace };
    })
    .sort((a, b) => byText(a.key, b.key));
}

/** What workers load by a plain name: an old worker must not meet a new one of these. */
function findLoadedByWorkers(files: readonly BuildFile[], { basePath }: AddressRules): Set<string> {
  const toKey = (path: string, url: string): string | undefined => {
    const address = resolveReference({ url }, path, basePath);
    return address === undefined ? undefined : parseAddress(address, basePath);
  };
  const loaded = files
    .filter(({ path }) => isWorkerScript(path))
    .flatMap(({ path, references }) =>
      references.filter(({ kind }) => kind === "asset").map(({ url }) => toKey(path, url)),
    );
  return new Set(loaded.filter((path) => path !== undefined));
}

/**
 * The longest time, in seconds, for which somebody may still show a page of these without asking: an edge, or a browser that
 * nobody can call it back from. By the headers that it really has, which rules may have written by hand.
 */
export const longestPageFreshness = (parcels: readonly Pick<Parcel, "role" | "headers">[]): number =>
  largest(
    parcels
      .filter(({ role }) => isPageLike(role))
      .flatMap(({ headers: { "cache-control": said } }) => [
        parseEdgeFreshness(said) ?? 0,
        parseBrowserFreshness(said) ?? 0,
      ]),
  );

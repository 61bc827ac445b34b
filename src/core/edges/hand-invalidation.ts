import { matcher } from "../model/glob.ts";
import { encodeKey, listAddresses, parseAddress, type AddressRules } from "../addresses/addresses.ts";
import { isTree } from "./cover/cover.ts";
import { OperatorError } from "../model/failure.ts";
import type { UrlPath } from "../model/names.ts";
import type { Waybill } from "../model/release.ts";
import { findReleaseDifferences } from "../compare/release-differences.ts";

/** What a person asks edges to forget. */
export interface HandWish {
  /** Addresses (`/news/`, `/routes/*`), and globs over the files of the current release (`news/**`). */
  readonly patterns: readonly string[];
  /** What this release changed against the one before it. */
  readonly changed?: { readonly release: Waybill; readonly before: Waybill | undefined };
  readonly everything: boolean;
}

/** The addresses that a wish means, each once. Throws `no-match` and `not-an-address`. */
export function selectByHand(
  { patterns, changed, everything }: HandWish,
  current: Waybill,
  rules: AddressRules,
): UrlPath[] {
  const named = patterns.flatMap((pattern) =>
    pattern.startsWith("/") ? [toAddress(pattern, rules)] : listMatching(pattern, current, rules),
  );
  const all = everything ? [`${rules.basePath}*`] : [];
  return [...new Set([...named, ...(changed ? listChanged(changed, rules) : []), ...all])];
}

/** Why an edge can't be asked for what a person typed. */
export type NotAnAddress = "star" | "query" | "outside" | "encoding";

/** An address as browsers send it, however it was typed. */
function toAddress(typed: string, rules: AddressRules): UrlPath {
  const { basePath } = rules;
  const fail = (reason: NotAnAddress): OperatorError =>
    new OperatorError("not-an-address", { address: typed, reason, basePath });
  const tree = isTree(typed) ? "*" : "";
  const path = tree === "" ? typed : typed.slice(0, -1);
  if (path.includes("*")) throw fail("star");
  if (/[?#]/.test(path)) throw fail("query");
  if (!path.startsWith(basePath)) throw fail("outside");
  const key = parseAddress(path, basePath);
  if (key === undefined) throw fail("encoding");
  return basePath + encodeKey(key) + tree;
}

function listMatching(glob: string, { parcels, standing, release }: Waybill, rules: AddressRules): UrlPath[] {
  const matches = matcher(glob);
  const keys = [...parcels, ...standing].map(({ key }) => key).filter(matches);
  if (keys.length === 0) throw new OperatorError("no-match", { glob, release });
  return keys.flatMap((key) => listAddresses(key, rules));
}

/** Without the record of the release before, everything of a release may be new. */
function listChanged({ release, before }: NonNullable<HandWish["changed"]>, rules: AddressRules): UrlPath[] {
  const keys = before
    ? findReleaseDifferences(before, release).map(({ key }) => key)
    : release.parcels.map(({ key }) => key);
  return keys.flatMap((key) => listAddresses(key, rules));
}

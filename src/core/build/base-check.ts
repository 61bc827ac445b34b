import { resolve, resolveReference } from "../addresses/resolve.ts";
import { parseAddress } from "../addresses/addresses.ts";
import type { UrlPath } from "../model/names.ts";
import type { ProblemOf } from "../model/problem.ts";
import type { GraphFacts } from "./reference-graph.ts";

/** Fewer references than these show no base path. */
const LEAST = 2;

/**
 * Whether the build was made for another base path than that of the destination: most of what its pages and styles load from
 * the root is not where the destination has it, and is in the build if one takes a folder's name off its address.
 */
export function findWrongBase(
  facts: Pick<GraphFacts, "files" | "addressRules" | "origin">,
): ProblemOf<"wrong-base"> | undefined {
  const { basePath } = facts.addressRules;
  const paths = new Set(facts.files.map(({ path }) => path));
  const fits = (address: UrlPath, base: UrlPath): boolean =>
    resolve(
      address,
      { ...facts.addressRules, basePath: base },
      { has: (key) => paths.has(key), bare: false },
    ) !== undefined;
  const addresses = findFromRoot(facts);
  const right = addresses.filter((address) => fits(address, basePath)).length;
  const votes = new Map<UrlPath, UrlPath[]>();
  for (const address of addresses) {
    const base = basesOf(address).find((one) => fits(address, one));
    if (base !== undefined) votes.set(base, [...(votes.get(base) ?? []), address]);
  }
  const [builtFor, for_ = []] = [...votes].sort(([, a], [, b]) => b.length - a.length)[0] ?? [];
  const isOther = builtFor !== undefined && builtFor !== basePath && for_.length >= LEAST;
  if (!isOther || for_.length <= right || for_.length * 2 <= addresses.length) return undefined;
  const example = for_[0] as UrlPath;
  return { code: "wrong-base", severity: "error", facts: { builtFor, deliveredAt: basePath, example } };
}

/** Addresses that files load from the root of their site, or relative to a `<base>` there. */
function findFromRoot({ files, origin }: Pick<GraphFacts, "files" | "origin">): UrlPath[] {
  const found = new Map<string, UrlPath | undefined>();
  for (const { path, references } of files)
    for (const { kind, url, base } of references) {
      if (kind !== "asset" && kind !== "decoration") continue;
      if (!isFromRoot(url) && !(base !== undefined && isFromRoot(base))) continue;
      const written = isFromRoot(url) ? url : `${base ?? ""} ${url}`;
      if (!found.has(written)) found.set(written, resolveReference({ url, base }, path, "/", origin));
    }
  return [...new Set([...found.values()].filter((address) => address !== undefined))];
}

const isFromRoot = (url: string): boolean => /^\/(?!\/)/.test(url);

/** `/`, `/app/`, `/app/assets/` for `/app/assets/a.js`: the folders that an address stands in, the outermost first. */
const basesOf = (address: UrlPath): UrlPath[] =>
  parseAddress(address, "/") === undefined
    ? []
    : [...address.matchAll(/\//g)].map(({ index }) => address.slice(0, index + 1));

import { resolve, resolveReference } from "../addresses/resolve.ts";
import { parseAddress } from "../addresses/addresses.ts";
import type { UrlPath } from "../model/names.ts";
import type { ReferenceKind } from "../model/reference.ts";
import type { ProblemOf } from "../model/problem.ts";
import type { GraphFacts } from "./reference-graph.ts";

/** Fewer references than these show no base path. */
const LEAST = 2;

type BaseFacts = Pick<GraphFacts, "files" | "addressRules" | "origin">;

/**
 * Whether the build was made for another base path than that of the destination: most of what its pages and styles load from
 * the root is not where the destination has it, and is in the build if one takes a folder's name off its address.
 */
export function findWrongBase(facts: BaseFacts): ProblemOf<"wrong-base"> | undefined {
  const { basePath } = facts.addressRules;
  const fits = createFit(facts);
  const addresses = findFromRoot(facts, LOADS);
  const right = addresses.filter((address) => fits(address, basePath)).length;
  const votes = new Map<UrlPath, UrlPath[]>();
  for (const address of addresses) {
    const base = basesOf(address).find((one) => fits(address, one));
    if (base !== undefined) votes.set(base, [...(votes.get(base) ?? []), address]);
  }
  const [builtFor, for_ = []] = [...votes].sort(([, a], [, b]) => b.length - a.length)[0] ?? [];
  const isOther = builtFor !== undefined && builtFor !== basePath && for_.length >= LEAST;
  if (!isOther || for_.length <= right || for_.length * 2 <= addresses.length) return undefined;
  return toWrong({ builtFor, deliveredAt: basePath, example: for_[0] as UrlPath });
}

/**
 * The same for a preview that shares its host with the site that it is of: a single address from the root, be it a link, leads
 * out of it and into that site.
 */
export function findWayOut(facts: BaseFacts): ProblemOf<"wrong-base"> | undefined {
  const { basePath } = facts.addressRules;
  if (basePath === "/") return findWrongBase(facts);
  const fits = createFit(facts);
  const example = findFromRoot(facts, [...LOADS, "link", "frame"]).find(
    (address) => !address.startsWith(basePath) && fits(address, "/"),
  );
  return example === undefined
    ? undefined
    : toWrong({ builtFor: "/", deliveredAt: basePath, example, isPreview: true });
}

const LOADS: readonly ReferenceKind[] = ["asset", "decoration"];

const toWrong = (facts: ProblemOf<"wrong-base">["facts"]): ProblemOf<"wrong-base"> => ({
  code: "wrong-base",
  severity: "error",
  facts,
});

/** A function that tells whether the build has an address, if its own begin with some base path. */
function createFit({ files, addressRules }: BaseFacts): (address: UrlPath, base: UrlPath) => boolean {
  const paths = new Set(files.map(({ path }) => path));
  const resolver = { has: (key: string) => paths.has(key), bare: false };
  return (address, basePath) => resolve(address, { ...addressRules, basePath }, resolver) !== undefined;
}

/** Addresses that files load from the root of their site, or relative to a `<base>` there. */
function findFromRoot(
  { files, origin }: Pick<GraphFacts, "files" | "origin">,
  kinds: readonly ReferenceKind[],
): UrlPath[] {
  const found = new Map<string, UrlPath | undefined>();
  for (const { path, references } of files)
    for (const { kind, url, base } of references) {
      if (!kinds.includes(kind)) continue;
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

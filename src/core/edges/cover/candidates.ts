import type { LiveAddresses } from "./live-addresses.ts";
import type { EdgeAbilities } from "../../model/edge.ts";
import type { UrlPath } from "../../model/names.ts";

/** An address whose held copies must go. A `*` at its end says: everything that begins so. */
export interface MustGo {
  readonly address: UrlPath;
  /** Whether visitors reach it with queries (`/news/?utm_source=x`), so that an edge may hold it under any of them. */
  readonly hasQueries: boolean;
}

/** A pattern, or a pair of them, that may stand for the addresses from `from` to before `to`. */
export interface Candidate {
  readonly from: number;
  readonly to: number;
  /** `withQueries`: the address itself and everything held under a query of it (`/news/` and `/news/?*`). */
  readonly kind: "exact" | "withQueries" | "wildcard";
  /** How many letters of the first address stand before the `*`. */
  readonly length: number;
  readonly patterns: number;
  readonly wildcards: number;
  /** Bytes of right copies that it takes along. */
  readonly collateral: number;
}

export interface CandidateRules {
  readonly wildcard: EdgeAbilities["wildcard"];
  /** Whether what is held under queries must be covered too. */
  readonly coversQueries: boolean;
}

/**
 * Every pattern that can be part of a best set, by the first address that it covers. Among wildcards over the same
 * addresses only the longest prefix counts, and that one ends at a legal place: never inside `%XX`, and with `segment`
 * after a slash.
 * @param sorted addresses by code unit, each once
 */
export function listCandidates(
  sorted: readonly MustGo[],
  live: LiveAddresses,
  { wildcard, coversQueries }: CandidateRules,
): Candidate[][] {
  const addresses = sorted.map(({ address }) => address);
  const all: Candidate[][] = sorted.map(({ address, hasQueries }, from) => {
    const needsQueries = hasQueries && coversQueries;
    if (!needsQueries) return [toExact(from, address, "exact")];
    return wildcard === "prefix" ? [toExact(from, address, "withQueries")] : [];
  });
  if (wildcard === "none") return all;
  const sizes = measure(addresses, live);
  for (const { from, to, depth, outerDepth } of listRuns(addresses, coversQueries)) {
    const length = cutBack(addresses[from] as UrlPath, depth, wildcard);
    // Cut back so far, it covers more than this run, and is that longer run's.
    if (length <= outerDepth) continue;
    const prefix = (addresses[from] as UrlPath).slice(0, length);
    const collateral = live.sum(prefix).bytes - ((sizes[to] as number) - (sizes[from] as number));
    all[from]?.push({ from, to, kind: "wildcard", length, patterns: 1, wildcards: 1, collateral });
  }
  return all;
}

const toExact = (from: number, { length }: UrlPath, kind: "exact" | "withQueries"): Candidate => ({
  ...{ from, to: from + 1, kind, length, collateral: 0 },
  patterns: kind === "exact" ? 1 : 2,
  wildcards: kind === "exact" ? 0 : 1,
});

/** Bytes of the addresses before each one, as far as they answer. */
function measure(addresses: readonly UrlPath[], live: LiveAddresses): Float64Array {
  const before = new Float64Array(addresses.length + 1);
  addresses.forEach((address, index) => {
    before[index + 1] = (before[index] as number) + (live.sizeOf(address) ?? 0);
  });
  return before;
}

interface Run {
  readonly from: number;
  readonly to: number;
  /** Letters that all of them share. */
  readonly depth: number;
  /** Letters that they share with a neighbour outside. */
  readonly outerDepth: number;
}

/** Every run of addresses that share more with each other than with any other one (the inner nodes of their trie). */
function* listRuns(addresses: readonly UrlPath[], withSingles: boolean): Iterable<Run> {
  const open: { from: number; depth: number }[] = [];
  let before = 0;
  for (let index = 0; index < addresses.length; index++) {
    const address = addresses[index] as UrlPath;
    const shared = index + 1 < addresses.length ? countShared(address, addresses[index + 1] as UrlPath) : 0;
    if (withSingles)
      yield { from: index, to: index + 1, depth: address.length, outerDepth: Math.max(before, shared) };
    let from = index;
    for (let top = open.at(-1); top !== undefined && top.depth > shared; top = open.at(-1)) {
      open.pop();
      const outerDepth = Math.max(shared, open.at(-1)?.depth ?? 0);
      yield { from: top.from, to: index + 1, depth: top.depth, outerDepth };
      from = top.from;
    }
    if (shared > (open.at(-1)?.depth ?? 0)) open.push({ from, depth: shared });
    before = shared;
  }
}

function countShared(a: string, b: string): number {
  const most = Math.min(a.length, b.length);
  let count = 0;
  while (count < most && a.charCodeAt(count) === b.charCodeAt(count)) count += 1;
  return count;
}

/** The longest legal prefix of at most so many letters. */
function cutBack(address: UrlPath, depth: number, wildcard: EdgeAbilities["wildcard"]): number {
  if (wildcard === "segment") return address.lastIndexOf("/", depth - 1) + 1;
  if (address[depth - 1] === "%") return depth - 1;
  return address[depth - 2] === "%" ? depth - 2 : depth;
}

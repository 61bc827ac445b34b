import type { ReadBack, RightAnswer } from "../model/edge.ts";
import { applyRules } from "../edge-rules/apply.ts";
import type { EdgeRules } from "../model/edge-rules.ts";
import { encodeKey, listAddresses, type AddressRules } from "../addresses/addresses.ts";
import { isTree } from "./cover/cover.ts";
import { NO_CONTENT, type Sha256, type UrlPath } from "../model/names.ts";
import type { Parcel } from "../model/parcel.ts";
import { isPageLike } from "../model/role.ts";
import { spread } from "../model/spread.ts";
import type { VisitorAnswer } from "../model/visitor-answer.ts";

export interface ReadBackFacts {
  /** What answers now. */
  readonly parcels: readonly Parcel[];
  readonly addressRules: AddressRules;
  /** What the edge does by itself; absent: nothing. */
  readonly edgeRules?: EdgeRules | undefined;
}

/**
 * What to read back of the addresses that an edge was asked for, the most important first: the entry page, pages, then the
 * rest. Of a tree everything that is known to answer below it. Within each kind they are spread, so that any number of them
 * from the start on is a fair sample.
 */
export function selectReadBacks(addresses: readonly UrlPath[], facts: ReadBackFacts): ReadBack[] {
  const trees = addresses.filter(isTree).map((tree) => tree.slice(0, -1));
  const wanted = new Set(addresses.filter((address) => !isTree(address)));
  const isWanted = (address: UrlPath): boolean =>
    wanted.has(address) || trees.some((tree) => address.startsWith(tree));
  const answering = new Map<UrlPath, Parcel>();
  for (const parcel of facts.parcels)
    listAddresses(parcel.key, facts.addressRules).forEach((address, form) => {
      // What stands under just that name answers before what an endpoint would look for.
      if (isWanted(address) && (form === 0 || !answering.has(address))) answering.set(address, parcel);
    });
  const all = [...new Set([...wanted, ...answering.keys()])];
  const { basePath } = facts.addressRules;
  const rankOf = (address: UrlPath): number => {
    if (address === basePath) return 0;
    const role = answering.get(address)?.role;
    return role === undefined || isPageLike(role) ? 1 : 2;
  };
  const findLed = createLeader(facts);
  return [0, 1, 2]
    .flatMap((rank) => shuffle(all.filter((address) => rankOf(address) === rank)))
    .map((address) => ({ address, right: findLed(address) ?? toRight(answering.get(address)) }));
}

/** A function that tells what answers through the edge's own doing; undefined: what stands under the address. */
function createLeader({
  edgeRules,
  parcels,
  addressRules,
}: ReadBackFacts): (address: UrlPath) => RightAnswer | undefined {
  if (!edgeRules) return () => undefined;
  const { basePath } = addressRules;
  const own = new Map(parcels.map((parcel) => [basePath + encodeKey(parcel.key), parcel]));
  return (address) => {
    const [path = "", query] = address.split(/\?(.*)/s);
    const turned = applyRules(edgeRules, path, query);
    if (turned.kind === "redirect") return { kind: "redirect", to: turned.location, hash: NO_CONTENT };
    return turned.path === path ? undefined : toRight(own.get(turned.path));
  };
}

function toRight(parcel: Parcel | undefined): RightAnswer {
  if (!parcel) return { kind: "missing" };
  const { hash, redirectsTo } = parcel;
  return redirectsTo === undefined ? { kind: "content", hash } : { kind: "redirect", to: redirectsTo, hash };
}

/** In an order of which each beginning is spread over all; the same for the same items. */
function shuffle<T>(items: readonly T[]): T[] {
  const chosen = new Set<T>();
  for (let most = 1; chosen.size < items.length; most *= 4)
    for (const item of spread(items, most)) chosen.add(item);
  return [...chosen];
}

/** Every content that ever stood under the addresses of these parcels, by address. */
export function listEarlierContents(
  parcels: Iterable<Pick<Parcel, "key" | "hash">>,
  addresses: ReadonlySet<UrlPath>,
  rules: AddressRules,
): Map<UrlPath, Set<Sha256>> {
  const found = new Map<UrlPath, Set<Sha256>>();
  for (const { key, hash } of parcels)
    for (const address of listAddresses(key, rules)) {
      if (!addresses.has(address)) continue;
      const known = found.get(address) ?? new Set();
      found.set(address, known.add(hash));
    }
  return found;
}

/** What is known besides of the place that was asked. */
export interface ReadBackKnowledge {
  /** What it answers under an address that nobody knows; undefined: not known. */
  readonly unknown: Pick<VisitorAnswer, "status" | "hash"> | undefined;
  /** Contents that ever stood under the address. */
  readonly earlier?: ReadonlySet<Sha256> | undefined;
  /** ETags of answers of the same place under the same address that were right, without weakness. */
  readonly rightEtags?: ReadonlySet<string> | undefined;
}

/**
 * `right`; `old`: what answered before, 'not found' included; `foreign`: content that was never delivered there, or a way to
 * somewhere else; `unreadable`: a coding that is not known here; `no-answer`: a refusal, a failure, or nobody.
 */
export type ReadBackVerdict = "right" | "old" | "foreign" | "unreadable" | "no-answer";

/** Whether an answer is what stands there now. */
export function judgeReadBack(
  { address, right }: ReadBack,
  answer: Pick<VisitorAnswer, "status" | "hash" | "headers"> | undefined,
  { unknown, earlier, rightEtags }: ReadBackKnowledge,
): ReadBackVerdict {
  if (!answer) return "no-answer";
  const { status, hash, headers } = answer;
  if (status >= 500 || status === 429) return "no-answer";
  if (right.kind === "missing") {
    if (status === 404 || status === 410) return "right";
    if (status === unknown?.status && (status >= 400 || (hash !== undefined && hash === unknown.hash)))
      return "right";
  } else if (status >= 300 && status < 400) {
    // A website endpoint sends visitors of a folder on to its address with a slash.
    const wanted = right.kind === "redirect" ? right.to : `${address}/`;
    const { location = "" } = headers;
    if (location === wanted || location.replace(/^https?:\/\/[^/]+/, "") === wanted) return "right";
    if (right.kind === "redirect") return "old";
  } else if (status === 404 || status === 410) return "old";
  if (status >= 400) return "no-answer";
  const { etag } = headers;
  if (hash === undefined)
    return etag !== undefined && rightEtags?.has(toPlainEtag(etag)) === true ? "right" : "unreadable";
  if (right.kind !== "missing" && status === 200 && hash === right.hash) return "right";
  return earlier?.has(hash) === true ? "old" : "foreign";
}

/** Without what says that it is weak (RFC 9110 §8.8.3): the same content may have been compressed on the way. */
export const toPlainEtag = (etag: string): string => etag.replace(/^W\//, "");

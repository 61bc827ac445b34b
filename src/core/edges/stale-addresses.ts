import { isManifest } from "../model/polled.ts";
import { listAddresses, type AddressRules } from "../addresses/addresses.ts";
import type { Change, Comparison } from "../compare/compare.ts";
import type { MustGo } from "./cover/candidates.ts";
import { coverAddresses, isTree, nameAddresses, type Cover } from "./cover/cover.ts";
import { mayHold, wouldBeSpared, type EarlierAnswer } from "./held-answers.ts";
import { indexLive, type LiveAddresses } from "./cover/live-addresses.ts";
import { isDebtOf } from "./owed.ts";
import { canReachQueries, takesWildcards, type EdgeNeeds } from "../model/edge.ts";
import { byText, type ObjectKey, type UrlPath } from "../model/names.ts";
import type { Parcel } from "../model/parcel.ts";
import { isAssetLike, type Role, kindOf } from "../model/role.ts";
import type { EdgeInvalidation } from "../model/plan.ts";
import type { OwedInvalidation } from "../model/release.ts";

export interface StaleAddressFacts {
  readonly comparison: Comparison;
  readonly addressRules: AddressRules;
  readonly edges: readonly EdgeNeeds[];
  readonly owed: readonly OwedInvalidation[];
  /** Trees of addresses (`/routes/*`) that answer differently from now on; only edges that take wildcards can be asked. */
  readonly trees: readonly UrlPath[];
  /** Everything that answers once this delivery is done. */
  readonly answering: readonly Parcel[];
  /** Under which keys something was delivered before that nobody has a record of any more. */
  readonly onceDelivered: ReadonlySet<ObjectKey>;
  /** Where unknown addresses are answered with the entry page: what that answer was before. */
  readonly unknownAnswered?: EarlierAnswer | undefined;
  /** Whether stored objects carry their headers: without, nothing is known of how long they may be held. */
  readonly carriesHeaders: boolean;
}

export interface Invalidations {
  /** For new assets, before a page that names them is written: somebody may have asked for them too early. */
  readonly unmaskings: readonly EdgeInvalidation[];
  /** For what stands when the release is recorded. */
  readonly invalidations: readonly EdgeInvalidation[];
  /** For workers, which are written after that: an address is invalidated only once its final state stands (O5). */
  readonly lateInvalidations: readonly EdgeInvalidation[];
  /** Addresses that change and that an edge can't hold, by edge. */
  readonly spared: ReadonlyMap<string, ReadonlySet<UrlPath>>;
  /** How many addresses an edge is asked for only since nobody has said that it keeps to `max-age=0`, by edge. */
  readonly sparable: ReadonlyMap<string, number>;
}

/** What each edge must let go of in this delivery: what comes, changes or goes now, and what it owes from before. */
export function selectInvalidations(facts: StaleAddressFacts): Invalidations {
  const rounds = toRounds(facts);
  const isIdle = Object.values(rounds).every((keys) => keys.length === 0);
  const standing = isIdle || facts.owed.length === 0 ? undefined : addressesOfStanding(facts);
  // Before the announcement they answer with what is old.
  const announced = new Set(rounds.late.flatMap(({ key }) => listAddresses(key, facts.addressRules)));
  const requests = facts.edges.map((edge) => {
    const spared = new Set<UrlPath>();
    const select = (keys: readonly StaleKey[]): MustGo[] => selectHeld(keys, edge, facts, spared);
    const [early, now, late] = [select(rounds.early), select(rounds.now), select(rounds.late)];
    for (const tree of toTrees(edge, facts)) now.push(tree);
    const owed = facts.owed.filter((entry) => isDebtOf(entry, edge)).flatMap(({ addresses }) => addresses);
    const all = new Set([...early, ...now, ...late].map(({ address }) => address));
    const roles = rolesByAddress(isIdle && owed.length === 0 ? [] : facts.answering, facts.addressRules);
    for (const address of owed.filter((one) => !all.has(one))) {
      const round = standing?.has(address) ? early : announced.has(address) ? late : now;
      round.push(toMustGo(address, roles));
    }
    // What goes in one round is no loss in another.
    for (const address of [...all, ...owed]) roles.delete(address);
    const live = indexLive(new Map([...roles].map(([address, { size }]) => [address, size])));
    const asked = askRounds(edge, [early, now, late], live);
    const sparable = [...rounds.now, ...rounds.late].filter(({ earlier }) => wouldBeSpared(edge, earlier));
    return {
      edge: edge.name,
      unmaskings: asked[0] ?? [],
      invalidations: asked[1] ?? [],
      lateInvalidations: asked[2] ?? [],
      spared,
      sparable: sparable.flatMap(({ key }) => listAddresses(key, facts.addressRules)).length,
    };
  });
  return {
    unmaskings: requests.flatMap(({ unmaskings }) => unmaskings),
    invalidations: requests.flatMap(({ invalidations }) => invalidations),
    lateInvalidations: requests.flatMap(({ lateInvalidations }) => lateInvalidations),
    spared: new Map(requests.map(({ edge, spared }) => [edge, spared])),
    sparable: new Map(requests.map(({ edge, sparable }) => [edge, sparable])),
  };
}

/** What edges are asked for when nothing but given addresses are to go: what they owe, or what a person names. */
export const selectOwed = (
  owed: readonly OwedInvalidation[],
  edges: readonly EdgeNeeds[],
  { answering, addressRules }: Pick<StaleAddressFacts, "answering" | "addressRules">,
): EdgeInvalidation[] =>
  edges.flatMap((edge) => {
    const own = owed.filter((entry) => isDebtOf(entry, edge)).flatMap((entry) => entry.addresses);
    if (own.length === 0) return [];
    const roles = rolesByAddress(answering, addressRules);
    const named = takesWildcards(edge) ? own : own.flatMap((address) => listBelow(address, roles));
    const mustGo = named.map((address) => toMustGo(address, roles));
    for (const address of named) roles.delete(address);
    const live = indexLive(new Map([...roles].map(([address, { size }]) => [address, size])));
    return askRounds(edge, [mustGo], live).flat();
  });

/** Where a tree can't be asked for: what is known to answer below it. */
const listBelow = (address: UrlPath, answering: ReadonlyMap<UrlPath, unknown>): UrlPath[] =>
  isTree(address)
    ? [...answering.keys()].filter((candidate) => candidate.startsWith(address.slice(0, -1)))
    : [address];

/** Whether a change is written before any page: a new asset, which overwrites nothing. */
export const isStocked = (change: Change): boolean =>
  change.listed === undefined &&
  (isAssetLike(change.parcel.role) || (kindOf(change.parcel.role) === "worker" && !isAnnounced(change)));

/** Whether a change is written only when the edges have confirmed the pages: a worker that visitors may already have. */
export const isAnnounced = ({ parcel, listed }: Change): boolean =>
  // What a page loads is there before the page.
  kindOf(parcel.role) === "worker" &&
  parcel.isLoaded !== true &&
  (listed !== undefined || !isManifest(parcel.key));

/** What pages may name and this delivery has no need to write: it stands, and its addresses can be asked for before pages. */
const selectStanding = ({ unchanged }: Pick<Comparison, "unchanged">): readonly Parcel[] =>
  unchanged.filter(
    ({ key, role, isLoaded }) =>
      isAssetLike(role) || isLoaded === true || (kindOf(role) === "worker" && isManifest(key)),
  );

/** An asset that an edge owes is paid for before pages are written that may name it. */
const addressesOfStanding = ({ comparison, addressRules }: StaleAddressFacts): Set<UrlPath> =>
  new Set(selectStanding(comparison).flatMap(({ key }) => listAddresses(key, addressRules)));

/** An object whose addresses answer differently from now on. */
interface StaleKey {
  readonly key: ObjectKey;
  readonly role: Role;
  readonly earlier: EarlierAnswer;
}

const UNKNOWN: EarlierAnswer = { kind: "unknown" };

function toRounds(facts: StaleAddressFacts): Record<"early" | "now" | "late", StaleKey[]> {
  const { comparison } = facts;
  const ofChange = (change: Change): StaleKey => ({
    key: change.parcel.key,
    role: change.parcel.role,
    earlier: toEarlier(change, facts),
  });
  const { changes } = comparison;
  const early = changes.filter(isStocked);
  const late = changes.filter(isAnnounced);
  const others = new Set([...early, ...late]);
  const removed = comparison.stale
    .filter(({ recorded }) => !isAssetLike(recorded.role))
    .map(({ recorded: { key, role, headers } }): StaleKey => ({
      key,
      role,
      earlier: toObject(headers, facts),
    }));
  // What a run that died has written or removed is wrong at the edge all the same. Assets that it had stocked may not have
  // been asked for any more, and somebody may have been told 'not found' before: pages that name them come after that.
  const left = [...comparison.unrecorded, ...comparison.gone];
  const unrecorded = new Set(comparison.unrecorded);
  const stocked =
    unrecorded.size === 0 ? [] : selectStanding(comparison).filter(({ key }) => unrecorded.has(key));
  const asked = new Set([
    ...changes.map(({ parcel }) => parcel.key),
    ...removed.map(({ key }) => key),
    ...stocked.map(({ key }) => key),
  ]);
  return {
    early: [
      ...early.map(ofChange),
      ...stocked.map(({ key, role }): StaleKey => ({ key, role, earlier: UNKNOWN })),
    ],
    now: [
      ...changes.filter((change) => !others.has(change)).map(ofChange),
      ...removed,
      ...left
        .filter((key) => !asked.has(key))
        .map((key): StaleKey => ({ key, role: "document", earlier: UNKNOWN })),
    ],
    late: late.map(ofChange),
  };
}

/** What an edge may have got under the addresses of a change, before it. */
function toEarlier(
  { kind, parcel, listed, recorded, theirs }: Change,
  facts: StaleAddressFacts,
): EarlierAnswer {
  if (kind === "drifted" || kind === "missing" || theirs !== undefined) return UNKNOWN;
  if (recorded) return toObject(recorded.headers, facts);
  if (listed || facts.onceDelivered.has(parcel.key)) return UNKNOWN;
  return facts.unknownAnswered ?? { kind: "missing" };
}

const toObject = (headers: Parcel["headers"], { carriesHeaders }: StaleAddressFacts): EarlierAnswer =>
  carriesHeaders ? { kind: "object", cacheControl: headers["cache-control"] } : UNKNOWN;

/** The addresses of keys under which an edge may hold what is wrong now; the others are noted as spared. */
function selectHeld(
  keys: readonly StaleKey[],
  edge: EdgeNeeds,
  { addressRules }: StaleAddressFacts,
  spared: Set<UrlPath>,
): MustGo[] {
  const mustGo = new Map<UrlPath, MustGo>();
  for (const { key, role, earlier } of keys) {
    const isHeld = mayHold(edge, earlier);
    for (const address of listAddresses(key, addressRules)) {
      if (isHeld) mustGo.set(address, { address, hasQueries: hasQueries(role) });
      else spared.add(address);
    }
  }
  return [...mustGo.values()];
}

/** Visitors come to pages and files with queries of their own; only pages of the build name what carries a hash. */
const hasQueries = (role: Role | undefined): boolean => role !== "fingerprinted";

/** What can't be listed: rules that reach whole trees, and an entry page that answers under every unknown address. */
function toTrees(edge: EdgeNeeds, facts: StaleAddressFacts): MustGo[] {
  if (!takesWildcards(edge)) return [];
  const { basePath, indexName } = facts.addressRules;
  const { unknownAnswered, comparison } = facts;
  const isEntryNew =
    unknownAnswered !== undefined &&
    mayHold(edge, unknownAnswered) &&
    (comparison.changes.some(({ parcel }) => parcel.key === indexName) ||
      comparison.unrecorded.includes(indexName));
  return [...facts.trees, ...(isEntryNew ? [`${basePath}*`] : [])].map((address) => ({
    address,
    hasQueries: true,
  }));
}

/** Everything that answers, by address. */
function rolesByAddress(
  answering: readonly Parcel[],
  rules: AddressRules,
): Map<UrlPath, { readonly role: Role; readonly size: number }> {
  const found = new Map<UrlPath, { readonly role: Role; readonly size: number }>();
  for (const { key, role, size } of answering)
    for (const address of listAddresses(key, rules)) found.set(address, { role, size });
  return found;
}

const toMustGo = (address: UrlPath, roles: ReadonlyMap<UrlPath, { readonly role: Role }>): MustGo => ({
  address,
  hasQueries: hasQueries(roles.get(address)?.role),
});

/** Names each address where all rounds of a delivery together need few patterns for that; else what costs least. */
function askRounds(
  edge: EdgeNeeds,
  rounds: readonly (readonly MustGo[])[],
  live: LiveAddresses,
): EdgeInvalidation[][] {
  const named = rounds.map((mustGo) => nameAddresses(mustGo, live, edge));
  const count = named.reduce((sum, cover) => sum + (cover?.patterns.length ?? Infinity), 0);
  return rounds.map((mustGo, round) => {
    if (mustGo.length === 0) return [];
    const cover = count <= edge.exactUpTo ? named[round] : undefined;
    return [toInvalidation(edge, mustGo, cover ?? coverAddresses(mustGo, live, edge), live)];
  });
}

function toInvalidation(
  edge: EdgeNeeds,
  mustGo: readonly MustGo[],
  { patterns, collateral, gap }: Cover,
  live: LiveAddresses,
): EdgeInvalidation {
  const addresses = [...new Set(mustGo.map(({ address }) => address))].sort(byText);
  const isUnsaid = edge.query === undefined && canReachQueries(edge);
  const [plain] = isUnsaid ? askRounds({ ...edge, query: "ignored" }, [mustGo], live).flat() : [];
  return {
    ...{ edge: edge.name, identity: edge.identity, addresses, patterns, collateral, gap },
    everything: live.total,
    ...(plain && { withoutQueries: { patterns: plain.patterns.length, collateral: plain.collateral } }),
  };
}

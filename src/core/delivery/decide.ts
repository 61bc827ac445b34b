import { longestPageFreshness } from "../model/cache-control.ts";
import type { Comparison } from "../compare/compare.ts";
import type { Withdrawn } from "../compare/withdrawn.ts";
import { recordedByKey } from "../compare/key-state.ts";
import { findRefusals, type GuardFacts } from "./guards.ts";
import { encodeKey, type AddressRules } from "../addresses/addresses.ts";
import type { EarlierAnswer } from "../edges/held-answers.ts";
import type { EdgeNeeds } from "../model/edge.ts";
import { openKey, RELEASES_PREFIX, type ObjectKey, type Sha256, type UrlPath } from "../model/names.ts";
import type { Parcel, RecordedParcel } from "../model/parcel.ts";
import { isAssetLike } from "../model/role.ts";
import type { OutsideContent, Plan } from "../model/plan.ts";
import {
  isSameRelease,
  type DestinationState,
  type OwedInvalidation,
  type RetainedRelease,
  type Waybill,
} from "../model/release.ts";
import type { Wanted } from "../model/wanted.ts";
import type { EdgeRules } from "../model/edge-rules.ts";
import { isSameRules } from "../edge-rules/same.ts";
import type { RoutingRule } from "../model/website.ts";
import { findOrderViolations, OrderFault } from "./order.ts";
import { listOwed, selectOrphans, selectUnrecorded, toOwed } from "../edges/owed.ts";
import { planDelivery } from "./plan.ts";
import type { Problem } from "../model/problem.ts";
import { findLastListed, selectListed, type LastListed } from "../history/last-listed.ts";
import { selectExpiredState, selectRetained, type RetentionRule } from "../history/retention.ts";
import { isAnnounced, selectInvalidations, type Invalidations } from "../edges/stale-addresses.ts";

export interface DeliveryFacts {
  readonly site: string;
  readonly wanted: Wanted;
  /** What is wrong with the build; none of a release. */
  readonly problems: readonly Problem[];
  readonly state: DestinationState;
  /** What is to stand against what stands, with what a look at the objects told. */
  readonly comparison: Comparison;
  /** What the live release has and the settings leave out now. */
  readonly withdrawn?: Withdrawn;
  /** Where contents stand at another destination; absent: nobody has asked. */
  readonly outside?: ReadonlyMap<Sha256, OutsideContent> | undefined;
  readonly retention: RetentionRule;
  readonly addressRules: AddressRules;
  /** Whether unknown addresses are answered with the entry page. */
  readonly clientRoutes: boolean;
  readonly bucketPrefix: string;
  readonly edges: readonly EdgeNeeds[];
  /** Whether the edge was seen to do something else by itself than the release that is live has it do. */
  readonly edgeDrifts?: boolean | undefined;
  readonly vanishShare: number;
  readonly sequence?: number | undefined;
  readonly exposedAt: GuardFacts["exposedAt"];
  readonly forgottenElsewhere?: GuardFacts["forgottenElsewhere"];
  readonly allowed: ReadonlySet<string>;
  /** Waybills of those that `selectNeededWaybills` names; undefined where one could not be read. */
  readonly olderWaybills: readonly Waybill[] | undefined;
}

/** Everything that is decided about a delivery before its first write. */
export interface DeliveryDecision {
  readonly comparison: Comparison;
  readonly plan: Plan;
  /** What speaks against it; nothing is written while this is not empty. */
  readonly refusals: readonly Problem[];
  readonly warnings: readonly DeliveryWarning[];
  /** Releases before the new one that stay restorable, newest first. */
  readonly retained: readonly RetainedRelease[];
  readonly pageFreshnessSeconds: number;
  /** Whether there is a release to make; without, what is owed is paid all the same. */
  readonly makesRelease: boolean;
  /** The rules that the website endpoint gets in this delivery; undefined: it has them already. */
  readonly newRouting?: readonly RoutingRule[] | undefined;
  /** What the edge is given to do by itself in this delivery; undefined: it has that already, or can be given nothing. */
  readonly newEdgeRules?: EdgeRules | undefined;
  /** Objects of others that this delivery writes over, as they stand; release 0 takes them. */
  readonly originals: readonly RecordedParcel[];
  /** Keys of the build under which somebody else's objects stand: a person is asked about these. */
  readonly takesOver: readonly ObjectKey[];
  /** Everything that answers once this is done. */
  readonly answering: readonly Parcel[];
  /** Contents that the releases which stay list; undefined where nothing goes, or older records had to tell and can't be read. */
  readonly lastListed: LastListed | undefined;
  /** What edges owe that are no longer in the settings. */
  readonly orphans: readonly OwedInvalidation[];
  /** How many addresses are asked for only since an edge is not known to keep to `max-age=0`, by edge. */
  readonly sparable: ReadonlyMap<string, number>;
}

/**
 * The older releases whose waybills a decision needs: release 0 when some record goes; all that stay where the newest
 * record was made before 0.2 and does not say what the vault holds for them. A delivery that makes no release, and has
 * nobody's to end, lets nothing go.
 */
export function selectNeededWaybills(facts: Omit<DeliveryFacts, "olderWaybills">): RetainedRelease[] {
  const { state, retention } = facts;
  const isNew = makesRelease(facts);
  const { pointer, waybill } = state;
  if (!waybill || !clearsState(facts, isNew)) return [];
  const stay = selectRetained(state, nextRelease(state), retention);
  const goes = letsRecordsGo(state, stay);
  if (!waybill.vault && (isNew || goes))
    return stay.filter((release) => !(pointer && isSameRelease(release, pointer)));
  return goes ? stay.filter(({ release }) => release === 0) : [];
}

const letsRecordsGo = ({ listing }: DestinationState, stay: readonly RetainedRelease[]): boolean =>
  listing.filter(({ key }) => key.startsWith(RELEASES_PREFIX)).length > stay.length;

type RoutingFacts = Pick<DeliveryFacts, "state" | "wanted" | "comparison" | "edgeDrifts">;

const makesRelease = (facts: RoutingFacts): boolean =>
  findNewRouting(facts) !== undefined ||
  findNewEdgeRules(facts) !== undefined ||
  needsRelease(facts.comparison, facts);

const clearsState = ({ state, comparison }: RoutingFacts, isNew: boolean): boolean =>
  isNew || comparison.pending.size > 0 || (state.open ?? []).length > 0;

const nextRelease = (state: DestinationState): number => (state.pointer?.release ?? 0) + 1;

/** Decides a whole delivery. Throws only where the plan would break an order invariant, which is a fault of ours. */
export function decideDelivery(facts: DeliveryFacts): DeliveryDecision {
  const { state, retention, comparison } = facts;
  const { parcels, loaded, workers } = facts.wanted;
  const newRouting = findNewRouting(facts);
  const newEdgeRules = findNewEdgeRules(facts);
  const isNew = makesRelease(facts);
  const release = isNew ? nextRelease(state) : (state.pointer?.release ?? 0);
  const retained = selectRetained(state, release, retention);
  const originals = selectOriginals(state, comparison);
  const keepsPrevious =
    state.pointer === undefined ||
    originals.length > 0 ||
    retained.some((candidate) => candidate.release === state.pointer?.release);
  const { spared, sparable, ...edges } = decideInvalidations(facts, comparison, newRouting);
  const clears = clearsState(facts, isNew);
  const known = clears ? findLastListed(state, state.waybill?.vault ? [] : facts.olderWaybills) : undefined;
  const lastListed = known && selectListed(known, retained);
  const expired = clears ? selectExpired(facts, comparison, { retained, originals, lastListed }) : [];
  const owed = toOwed([...edges.unmaskings, ...edges.invalidations, ...edges.lateInvalidations], state);
  const plan = planDelivery({
    ...{ release, state, comparison, keepsPrevious, expired, owed, workers },
    aside: facts.wanted.aside ?? [],
    ...{ ...edges, outside: facts.outside },
  });

  const violations = findOrderViolations(plan, { ...facts, parcels, keepsPrevious, loaded, spared });
  if (violations.length > 0) throw new OrderFault(violations);
  return {
    comparison,
    plan,
    refusals: findRefusals(facts, facts.allowed),
    warnings: findWarnings(facts, comparison),
    originals,
    takesOver: comparison.changes
      .filter(({ theirs, recorded }) => theirs && !recorded)
      .map(({ parcel }) => parcel.key),
    retained,
    pageFreshnessSeconds: longestPageFreshness(parcels),
    makesRelease: isNew,
    newRouting,
    newEdgeRules,
    sparable,
    answering: listAnswering(facts, comparison),
    lastListed,
    orphans: selectOrphans(listOwed(state), facts.edges),
  };
}

/** What edges must forget, from everything that is known of what they may hold. */
function decideInvalidations(
  facts: DeliveryFacts,
  comparison: Comparison,
  newRouting: readonly RoutingRule[] | undefined,
): Invalidations {
  const { state, addressRules, edges } = facts;
  return selectInvalidations({
    ...{ comparison, addressRules, edges },
    owed: listOwed(state),
    trees: toTrees(facts, newRouting),
    answering: listAnswering(facts, comparison),
    onceDelivered: new Set(state.immutable?.keys() ?? []),
    unknownAnswered: facts.clientRoutes ? findUnknownAnswered(facts) : undefined,
    carriesHeaders: state.carriesHeaders !== false,
  });
}

function listAnswering({ wanted }: DeliveryFacts, { stale }: Comparison): Parcel[] {
  const kept = stale.map(({ recorded }) => recorded).filter(({ role }) => isAssetLike(role));
  return [...kept, ...wanted.parcels];
}

/** What an unknown address was answered with: the entry page as it was. */
function findUnknownAnswered({ state, addressRules }: DeliveryFacts): EarlierAnswer {
  const entry = state.waybill?.parcels.find(({ key }) => key === addressRules.indexName);
  if (!entry || state.carriesHeaders === false) return { kind: "unknown" };
  return { kind: "object", cacheControl: entry.headers["cache-control"] };
}

/** A run that died may have written its rules already: then they are written anew, whatever the record says. */
function findNewRouting({ wanted, state }: RoutingFacts): readonly RoutingRule[] | undefined {
  const { routing } = wanted;
  const before = state.waybill?.routing ?? [];
  if (selectUnrecorded(state).some(({ website }) => website !== undefined)) return routing;
  return JSON.stringify(before) === JSON.stringify(routing) ? undefined : routing;
}

/** A run that died may have given the edge its rules already: then it gets them anew, whatever the record says. */
function findNewEdgeRules({ wanted, state, edgeDrifts }: RoutingFacts): EdgeRules | undefined {
  const { edgeRules } = wanted;
  if (selectUnrecorded(state).some(({ switchesEdge }) => switchesEdge === true)) return edgeRules;
  return edgeDrifts !== true && isSameRules(state.waybill?.edgeRules, edgeRules) ? undefined : edgeRules;
}

/** What old and new routing rules reach: an edge may hold any of it as it was. */
function toTrees(
  { state, addressRules, bucketPrefix }: DeliveryFacts,
  newRouting: readonly RoutingRule[] | undefined,
): UrlPath[] {
  if (!newRouting) return [];
  const left = selectUnrecorded(state).flatMap(({ website }) => website?.rules ?? []);
  const prefixes = [...(state.waybill?.routing ?? []), ...left, ...newRouting].map(({ prefix }) =>
    prefix.slice(bucketPrefix.length),
  );
  return [...new Set(prefixes)].map((prefix) => `${addressRules.basePath}${encodeKey(prefix)}*`);
}

/** A build that equals the release makes none, not even to write what that release still had to announce. */
function needsRelease(
  { changes, unrecorded, pending, stale, threatened }: Comparison,
  { state, wanted: { parcels, aside = [] } }: RoutingFacts,
): boolean {
  if (state.waybill === undefined || changes.some(({ parcel }) => !pending.has(parcel.key))) return true;
  // What a run that died has stocked is written down, and goes when its time has come: a page of that run may still arrive.
  const ours = recordedByKey(state);
  if (threatened.length > 0 || stale.some(({ recorded }) => !ours.has(recorded.key))) return true;
  if (unrecorded.some((key) => !pending.has(key))) return true;
  // Neither may a file go out of the record, nor stay in it as one that only open tabs need: a prune would take it.
  const wanted = new Set<ObjectKey>();
  for (const { key } of parcels) wanted.add(key);
  const recorded = state.waybill.parcels;
  const known = (state.waybill.aside ?? []).map(({ key, hash }) => `${key} ${hash}`);
  if (aside.map(({ key, hash }) => `${key} ${hash}`).join("\n") !== known.join("\n")) return true;
  return recorded.length !== wanted.size || recorded.some(({ key }) => !wanted.has(key));
}

/** As they stand now, after those that a run that died was about to write over: that one's word is older. */
function selectOriginals(state: DestinationState, { changes }: Comparison): RecordedParcel[] {
  const own = changes.flatMap(({ theirs, listed, parcel }): RecordedParcel[] => {
    if (!theirs || !listed) return [];
    const { hash, headers } = theirs;
    const { key, size, etag } = listed;
    return [{ key, hash, storedHash: hash, size, etag, headers, role: parcel.role }];
  });
  const all = [...selectUnrecorded(state).flatMap(({ originals }) => originals), ...own];
  return [...new Map(all.reverse().map((original) => [original.key, original])).values()];
}

function selectExpired(
  { state, olderWaybills, wanted }: DeliveryFacts,
  comparison: Comparison,
  { retained, originals, lastListed }: Pick<DeliveryDecision, "retained" | "originals" | "lastListed">,
): ObjectKey[] {
  // A record that can't be read may name anything: then nothing is pruned.
  if (olderWaybills === undefined || (state.unreadable ?? []).length > 0) return [];
  const stays = new Set(retained.map(({ release }) => release));
  const assets = comparison.stale
    .filter(
      ({ recorded }) =>
        isAssetLike(recorded.role) && !stays.has(recorded.lastIn ?? state.waybill?.release ?? 0),
    )
    .map(({ recorded }) => recorded.key);
  const ended = (state.open ?? []).map(({ run }) => openKey(run));
  // Release 0 is read whenever a record goes: before, nothing is known of what it needs.
  if (!lastListed || !letsRecordsGo(state, retained)) return [...assets, ...ended];
  const needed = new Set(lastListed.keys());
  for (const { release, parcels } of olderWaybills)
    if (release === 0) for (const { storedHash } of parcels) needed.add(storedHash);
  for (const { storedHash } of [...originals, ...(wanted.aside ?? [])]) needed.add(storedHash);
  for (const { website } of selectUnrecorded(state)) for (const hash of website?.kept ?? []) needed.add(hash);
  for (const change of comparison.changes) if (isAnnounced(change)) needed.add(change.parcel.storedHash);
  return [...assets, ...selectExpiredState(state, retained, needed), ...ended];
}

/** What a person should know of a delivery before it begins. */
export type DeliveryWarning =
  /** The first of the lesser problems of a build, and how many there are besides. */
  | { readonly code: "problems"; readonly first: Problem; readonly more: number }
  | { readonly code: "drifted"; readonly release: number | undefined; readonly keys: readonly ObjectKey[] }
  | { readonly code: "foreign" | "unreadable" | "left-out"; readonly keys: readonly ObjectKey[] }
  | { readonly code: "older-unreadable" }
  /** What was public is left out of the build by the settings now. */
  | ({ readonly code: "withdrawn" } & Withdrawn)
  /** An edge owes something and is no longer in the settings; `edge`: what it is. */
  | { readonly code: "edge-gone"; readonly edge: string; readonly addresses: number }
  /** Runs that died, which this one goes on after. */
  | { readonly code: "unended"; readonly runs: readonly { readonly run: string; readonly by: string }[] };

function findWarnings(
  { problems, state, olderWaybills, edges, withdrawn }: DeliveryFacts,
  { changes, foreign }: Comparison,
): DeliveryWarning[] {
  const orphans = selectOrphans(listOwed(state), edges);
  const [first, ...others] = problems.filter(({ severity }) => severity === "warning");
  const drifted = changes.filter(({ kind }) => kind === "drifted" || kind === "missing");
  const unreadable = state.unreadable ?? [];
  const runs = selectUnrecorded(state).map(({ run, by }) => ({ run, by }));
  const release = state.pointer?.release;
  const keys = drifted.map(({ parcel }) => parcel.key);
  const warnings: (DeliveryWarning | false | undefined)[] = [
    first && { code: "problems", first, more: others.length },
    keys.length > 0 && { code: "drifted", release, keys },
    withdrawn !== undefined &&
      withdrawn.going.length + withdrawn.staying.length > 0 && { code: "withdrawn", ...withdrawn },
    foreign.length > 0 && { code: "foreign", keys: foreign },
    unreadable.length > 0 && { code: "unreadable", keys: unreadable },
    olderWaybills === undefined && { code: "older-unreadable" },
    runs.length > 0 && { code: "unended", runs },
    ...orphans.map(
      ({ edge, addresses }) => ({ code: "edge-gone", edge, addresses: addresses.length }) as const,
    ),
  ];
  return warnings.filter((warning) => typeof warning === "object");
}

import { listAddresses, type AddressRules } from "../addresses/addresses.ts";
import { resolveName, type ResolveRules } from "../addresses/resolve.ts";
import { compareParcels, type Comparison } from "../compare/compare.ts";
import {
  isStateKey,
  openKey,
  RELEASES_PREFIX,
  vaultKey,
  type ObjectKey,
  type Sha256,
} from "../model/names.ts";
import { isAssetLike } from "../model/role.ts";
import type { RemoveStep, StepPhase } from "../model/plan.ts";
import {
  toAsideParcel,
  type DestinationState,
  type OpenDelivery,
  type OwedInvalidation,
  type Pointer,
  type RetainedRelease,
  type Waybill,
} from "../model/release.ts";
import { selectForgotten } from "./forgotten.ts";
import { selectUnrecorded } from "../edges/owed.ts";
import { selectExpiredState, selectNeededContents, selectRetained, type RetentionRule } from "./retention.ts";
import { recordedByKey, toKeptPointer } from "../compare/key-state.ts";

export interface PruneFacts {
  readonly state: DestinationState;
  readonly pointer: Pointer;
  readonly current: Waybill;
  /** The other releases that stay retained. */
  readonly older: readonly Waybill[];
  readonly retention: RetentionRule;
  readonly addressRules: AddressRules;
  readonly edges: readonly { readonly identity: string }[];
  /** Whether objects that are not ours go too. */
  readonly foreign: boolean;
  /** Contents that go for good, wherever they stand. */
  readonly forget: ReadonlySet<Sha256>;
}

/** Why an object goes. */
export const PRUNE_REASONS = ["stale", "forgotten", "foreign", "content", "record", "ended run"] as const;
type PruneReason = (typeof PRUNE_REASONS)[number];

export interface PruneDecision {
  /** Releases that stay, the current one first. */
  readonly retained: readonly RetainedRelease[];
  readonly removals: readonly (RemoveStep & { readonly why: PruneReason })[];
  /** Stale assets that stay: pages that an edge still holds, or that a run which died has left, may name them. */
  readonly waiting: readonly ObjectKey[];
  /** Objects that are not ours, whether they go or not. */
  readonly foreign: readonly ObjectKey[];
  /** What edges may hold wrongly once this is done. */
  readonly owed: readonly OwedInvalidation[];
  /** All contents that are removed for good from now on, where there are new ones. */
  readonly forgotten: readonly Sha256[];
  /** The pointer while and after it is done. */
  readonly pointer: Pointer;
}

/** Decides what a destination can do without. Addresses that answer today are touched only where that was asked for. */
export function decidePrune(facts: PruneFacts): PruneDecision {
  const { state, pointer, current, older, retention, forget } = facts;
  const retained = selectRetained(state, pointer.release, retention);
  const comparison = compareParcels(current.parcels, state);
  const stale = selectStale(comparison, current, retained);
  const isUnended = selectUnrecorded(state).some((open) => !isOfPrune(open));
  const reasons = new Map<ObjectKey, PruneReason>([
    ...(isUnended ? [] : stale).map((key) => [key, "stale"] as const),
    ...(facts.foreign ? comparison.foreign : []).map((key) => [key, "foreign"] as const),
    ...selectUnneededState(state, retained, [current, ...older]),
    ...findHolders(state, forget).map((key) => [key, "forgotten"] as const),
  ]);
  const removals = state.listing.flatMap(({ key, etag, size }) => {
    const why = reasons.get(key);
    return why === undefined ? [] : [{ do: "remove" as const, key, etag, size, why }];
  });
  const answering = removals.filter(({ key, why }) => !isStateKey(key) && why !== "stale");
  const addresses = answering.flatMap(({ key }) => listAddresses(key, facts.addressRules)).sort();
  const owed =
    addresses.length === 0 ? [] : facts.edges.map(({ identity }) => ({ edge: identity, addresses }));
  return {
    ...{ retained, removals, owed, foreign: comparison.foreign },
    forgotten: forget.size === 0 ? [] : [...new Set([...selectForgotten(state), ...forget])].sort(),
    waiting: isUnended ? stale.filter((key) => !reasons.has(key)) : [],
    pointer: { ...toKeptPointer(pointer, state), retained, owed: [...pointer.owed, ...owed] },
  };
}

/** The record of a run that only removes: whatever it has done, its successor finds nothing to finish. */
const isOfPrune = ({ parcels, originals, owed, website }: OpenDelivery): boolean =>
  parcels.length === 0 && originals.length === 0 && owed.length === 0 && website === undefined;

/** What a prune writes down before its first removal, with what those that died before it may still remove. */
export function toPruneRecord(
  { removals, pointer }: PruneDecision,
  state: DestinationState,
  author: Pick<OpenDelivery, "run" | "at" | "by">,
): { readonly open: OpenDelivery; readonly taken: readonly OpenDelivery[] } {
  const taken = selectUnrecorded(state).filter(isOfPrune);
  const own = removals.filter(({ key }) => !isStateKey(key)).map(({ key }) => key);
  const removes = [...new Set([...own, ...taken.flatMap((open) => open.removes)])];
  const nothing = { parcels: [], originals: [], owed: [] };
  return { open: { ...nothing, ...author, site: pointer.site, release: pointer.release, removes }, taken };
}

/** The same while some edge has not confirmed: an old page that it still holds names assets of its own time (O6). */
export function withoutStale(decision: PruneDecision): PruneDecision {
  const stale = decision.removals.filter(({ why }) => why === "stale");
  return {
    ...decision,
    removals: decision.removals.filter(({ why }) => why !== "stale"),
    waiting: [...decision.waiting, ...stale.map(({ key }) => key)],
  };
}

/** Assets that no retained release lists. */
function selectStale(
  { stale }: Comparison,
  current: Waybill,
  retained: readonly RetainedRelease[],
): ObjectKey[] {
  const stays = new Set(retained.map(({ release }) => release));
  return stale
    .filter(({ recorded }) => isAssetLike(recorded.role) && !stays.has(recorded.lastIn ?? current.release))
    .map(({ recorded }) => recorded.key);
}

function selectUnneededState(
  state: DestinationState,
  retained: readonly RetainedRelease[],
  waybills: readonly Waybill[],
): (readonly [ObjectKey, PruneReason])[] {
  const needed = selectNeededContents(waybills);
  const unrecorded = selectUnrecorded(state);
  // A run that died before it had recorded anything may have brought contents there that its successor wants.
  for (const { originals, website } of unrecorded)
    for (const hash of [...originals.map(({ storedHash }) => storedHash), ...(website?.kept ?? [])])
      needed.add(hash);
  const owing = new Set(unrecorded.filter((open) => !isOfPrune(open)).map(({ run }) => run));
  const ended = (state.open ?? []).filter(({ run }) => !owing.has(run)).map(({ run }) => openKey(run));
  return [
    ...selectExpiredState(state, retained, needed).map(
      (key) => [key, key.startsWith(RELEASES_PREFIX) ? "record" : "content"] as const,
    ),
    ...ended.map((key) => [key, "ended run"] as const),
  ];
}

/** Every object that holds such a content: in the vault, and live under any name. */
function findHolders(state: DestinationState, forget: ReadonlySet<Sha256>): ObjectKey[] {
  const recorded = recordedByKey(state);
  const vault = new Set([...forget].map(vaultKey));
  return state.listing
    .filter(({ key, etag }) => {
      const record = recorded.get(key);
      return (
        vault.has(key) || (record !== undefined && record.etag === etag && forget.has(record.storedHash))
      );
    })
    .map(({ key }) => key);
}

/** The contents that a file of the site has or had in any of these releases, by its key or an address of it; none: there is no such file. */
export function findContentsOf(name: string, waybills: readonly Waybill[], rules: ResolveRules): Set<Sha256> {
  const parcels = waybills.flatMap(({ parcels: own, standing, aside = [] }) => [
    ...own,
    ...standing,
    ...aside.map(toAsideParcel),
  ]);
  const keys = new Set(parcels.map(({ key }) => key));
  const key = resolveName(name, rules, { has: (candidate) => keys.has(candidate), bare: true });
  if (key === undefined) return new Set();
  return new Set(
    parcels
      .filter((parcel) => (parcel.key === key || parcel.aliasOf === key) && parcel.size > 0)
      .map(({ storedHash }) => storedHash),
  );
}

/** What is known of a content that is to be forgotten. */
export interface ForgottenContent {
  /** Stored size in bytes. */
  readonly size: number;
  /** ETags that objects with just these bytes were given. */
  readonly etags: ReadonlySet<string>;
}

/** What records say of contents, by their hashes: enough to know them again among versions. */
export function describeContents(
  hashes: ReadonlySet<Sha256>,
  waybills: readonly Waybill[],
): Map<Sha256, ForgottenContent> {
  const found = new Map<Sha256, { size: number; etags: Set<string> }>();
  for (const { storedHash, size, etag } of waybills.flatMap(({ parcels, standing }) => [
    ...parcels,
    ...standing,
  ])) {
    if (!hashes.has(storedHash)) continue;
    const content = found.get(storedHash) ?? { size, etags: new Set<string>() };
    if (etag !== undefined) content.etags.add(etag);
    found.set(storedHash, content);
  }
  return found;
}

/** The removals as a phase: what only names others goes last. */
export function toPrunePhase({ removals }: PruneDecision): StepPhase {
  const groups = PRUNE_REASONS.map((name) => ({ name, steps: removals.filter(({ why }) => why === name) }));
  return { name: "clear", groups: groups.filter(({ steps }) => steps.length > 0) };
}

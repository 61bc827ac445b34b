import { OperatorError } from "../core/model/failure.ts";
import { openKey, type ObjectKey, type Sha256 } from "../core/model/names.ts";
import { isSameRelease, type OwedInvalidation, type Waybill } from "../core/model/release.ts";
import {
  decidePrune,
  describeContents,
  findContentsOf,
  toPrunePhase,
  toPruneRecord,
  withoutStale,
  type ForgottenContent,
  type PruneDecision,
  type PruneFacts,
} from "../core/history/prune.ts";
import { selectRetained } from "../core/history/retention.ts";
import { findVersions } from "../gather/find-versions.ts";
import { readDestination, readWaybill } from "../gather/read-destination.ts";
import { carryOut } from "../perform/carry-out.ts";
import { toConditions } from "../perform/perform-tools.ts";
import type { HeldDestination } from "../perform/hold.ts";
import { recordForgotten, switchPointer } from "../perform/record.ts";
import { StoreError } from "../ports/object-store.ts";
import { withOpenRecord } from "./open-record.ts";
import { withHold } from "./hold.ts";
import { pay, readLastWriteMs, selectAnswering } from "./pay.ts";
import { createPerformTools } from "./perform-tools.ts";
import type { Place, Stay } from "./run.ts";

export interface PruneOptions {
  readonly dryRun: boolean;
  readonly foreign: boolean;
  /** Paths or addresses whose contents go for good. */
  readonly forget: readonly string[];
  /** What these name at the destination and in its previews; absent: nobody has looked anywhere else. */
  readonly named?: NamedContents | undefined;
  readonly queueSeconds: number;
  /** Asks a person, where one is to be asked. */
  readonly confirm?: (decision: PruneDecision) => Promise<void>;
}

/** The contents that paths or addresses name, by these. */
export type NamedContents = ReadonlyMap<string, ReadonlySet<Sha256>>;

export interface PruneOutcome {
  readonly decision: PruneDecision;
  /** Addresses that edges have not confirmed. */
  readonly owed: readonly string[];
  /** How many versions went that the bucket had kept of forgotten contents. */
  readonly versions: number;
}

/**
 * Removes what retention no longer needs: decide → hold → decide again → pay what edges owe → pointer → remove →
 * invalidate → pointer. The pointer goes first, so that no release is ever offered whose contents are gone; assets go only
 * when every edge has confirmed. Of contents that are to be forgotten the versions that a bucket keeps go as well: earlier ones
 * before anything else, what stands now as the last. *Fail:* some objects are left; the same call removes them. Throws
 * `record-unreadable` where a retained record can't be read and `versions-locked`: nothing is removed then. Throws
 * `versions-denied` where this identity may not remove versions: before anything has gone where there are earlier ones, else
 * when store and edges have let go.
 */
export async function prune(stay: Stay, options: PruneOptions): Promise<PruneOutcome> {
  const { store } = stay.place;
  const planned = await plan(stay, options);
  const owes = planned.decision.pointer.owed.some(({ addresses }) => addresses.length > 0);
  const isIdle = planned.decision.removals.length === 0 && !owes && options.forget.length === 0;
  if (isIdle || options.dryRun)
    return { ...planned, owed: addressesOf(planned.state.pointer?.owed ?? []), versions: 0 };
  await options.confirm?.(planned.decision);
  return withHold(stay, { work: "prune", queueSeconds: options.queueSeconds }, async (hold) => {
    const { decision: decided, state, forgotten } = await plan(stay, options);
    const earlier = await forgetVersions(store, forgotten);
    const answering = selectAnswering(state);
    const owedBefore = state.pointer?.owed ?? [];
    const lastWriteMs = readLastWriteMs(state, stay.run.clock);
    const before = await pay(stay, { owed: owedBefore, answering, state, lastWriteMs });
    const decision = before.isConfirmed ? decided : withoutStale(decided);
    await recordForgotten(store, decision.forgotten);
    // What is about to become wrong is written down before it can (O9).
    const pointer = { ...decision.pointer, owed: [...before.left, ...decision.owed] };
    const { etag } = await switchPointer(store, pointer, state.pointerEtag);
    const left = await carryOutPrune(stay, { decision, state }, hold);
    let owed = before.left;
    if (decision.owed.length > 0) {
      const gone = new Set(decision.removals.map(({ key }) => key).filter((key) => !left.has(key)));
      const stays = answering.filter(({ key }) => !gone.has(key));
      const debt = { owed: pointer.owed, answering: stays, state, lastWriteMs: stay.run.clock.monotonicMs() };
      owed = (await pay(stay, debt)).left;
      await switchPointer(store, { ...pointer, owed }, etag);
    }
    // Last: what this identity may not remove stops neither store nor edges from letting go.
    const versions = earlier + (await forgetVersions(store, forgotten));
    const done = { ...decision, removals: decision.removals.filter(({ key }) => !left.has(key)) };
    return { decision: done, owed: addressesOf(owed), versions };
  });
}

/**
 * Removes, under a record of what is about to go: whoever takes over keeps what it wants of that from a removal that comes late.
 * @returns what stays, since somebody else has written there
 */
async function carryOutPrune(
  { run, place, writing }: Stay,
  { decision, state }: { readonly decision: PruneDecision; readonly state: PruneFacts["state"] },
  hold: HeldDestination,
): Promise<ReadonlySet<ObjectKey>> {
  const { store } = place;
  const left = new Set<ObjectKey>();
  const phase = toPrunePhase(decision);
  if (phase.groups.length === 0) return left;
  const tools = createPerformTools(
    { run, place, writing },
    { conditions: toConditions(hold.hasConditions), noteLeft: (key) => left.add(key) },
  );
  const at = run.clock.now().toISOString();
  const { open, taken } = toPruneRecord(decision, state, { run: run.name, by: run.author.by, at });
  if (open.removes.length === 0) {
    await carryOut(phase, tools);
    return left;
  }
  await withOpenRecord(store, open, taken, async () => {
    await carryOut(phase, tools);
    await store.remove([openKey(run.name)]);
  });
  return left;
}

/** Removes what a bucket keeps of these contents as earlier versions. @returns how many */
async function forgetVersions(
  { versions }: Place["store"],
  contents: ReadonlyMap<Sha256, ForgottenContent>,
): Promise<number> {
  if (!versions || contents.size === 0) return 0;
  if (await versions.isLocked()) throw new OperatorError("versions-locked");
  try {
    const found = await findVersions(versions, contents);
    if (found.length > 0) await versions.remove(found);
    return found.length;
  } catch (error) {
    if (!(error instanceof StoreError) || error.kind !== "denied") throw error;
    const { action } = error.facts;
    throw new OperatorError("versions-denied", { action }, {}, error);
  }
}

const addressesOf = (owed: readonly OwedInvalidation[]): string[] => [
  ...new Set(owed.flatMap(({ addresses }) => addresses)),
];

async function plan(
  { place, safety }: Pick<Stay, "place" | "safety">,
  { foreign, forget, named }: PruneOptions,
): Promise<{
  decision: PruneDecision;
  state: PruneFacts["state"];
  forgotten: ReadonlyMap<Sha256, ForgottenContent>;
}> {
  const { store, destination, edges } = place;
  const { addressRules } = place.siteRules;
  const { retention } = safety;
  const state = await readDestination(store, destination);
  const { pointer, waybill: current } = state;
  if (!pointer || !current) throw new OperatorError("nothing-delivered", { destination });
  const [unreadable] = state.unreadable ?? [];
  if (unreadable !== undefined)
    throw new OperatorError("record-unreadable", { key: unreadable, cause: { code: "left-so" } });
  const older = await readOlder(store, { state, pointer, current, retention });
  const facts = { state, pointer, current, older, retention, addressRules, edges, foreign };
  const hashes = findForgotten(findNamed(forget, [current, ...older], addressRules), named);
  const decision = decidePrune({ ...facts, forget: hashes });
  return { decision, state, forgotten: describeContents(hashes, [current, ...older]) };
}

/** The contents that these paths name in any retained release; nothing where nothing is delivered. */
export async function lookUpContents(
  { place, safety }: Pick<Stay, "place" | "safety">,
  paths: readonly string[],
): Promise<NamedContents> {
  const { store, destination, siteRules } = place;
  const state = await readDestination(store, destination);
  const { pointer, waybill } = state;
  if (!pointer || !waybill) return new Map();
  const older = await readOlder(store, { state, pointer, current: waybill, ...safety });
  return findNamed(paths, [waybill, ...older], siteRules.addressRules);
}

/** The records of all releases that stay besides the current one. Throws `record-unreadable`. */
function readOlder(
  store: Place["store"],
  { state, pointer, current, retention }: Pick<PruneFacts, "state" | "pointer" | "current" | "retention">,
): Promise<Waybill[]> {
  const stays = selectRetained(state, pointer.release, retention);
  return Promise.all(
    stays.filter((release) => !isSameRelease(release, current)).map((release) => readWaybill(store, release)),
  );
}

const findNamed = (
  paths: readonly string[],
  waybills: readonly Waybill[],
  rules: PruneFacts["addressRules"],
): NamedContents => new Map(paths.map((path) => [path, findContentsOf(path, waybills, rules)]));

/** Throws `no-such-content` where a path names nothing, here or elsewhere. */
function findForgotten(here: NamedContents, elsewhere: NamedContents = new Map()): Set<Sha256> {
  const all = [...here].map(([path, found]) => {
    const contents = [...found, ...(elsewhere.get(path) ?? [])];
    if (contents.length === 0) throw new OperatorError("no-such-content", { path });
    return contents;
  });
  return new Set(all.flat());
}

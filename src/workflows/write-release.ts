import { etagsOfUnchanged } from "../core/compare/compare.ts";
import { extendImmutableNames } from "../core/history/immutable-names.ts";
import { OperatorError } from "../core/model/failure.ts";
import type { Parcel } from "../core/model/parcel.ts";
import { openKey, vaultKey, type ObjectKey, type Sha256 } from "../core/model/names.ts";
import { phaseOf, stepsOf, targetOf, type StepPhase } from "../core/model/plan.ts";
import type { Pointer, PreviewRecord, RetainedRelease } from "../core/model/release.ts";
import {
  toOpenDelivery,
  toPointer,
  toReleaseZero,
  toWaybill,
  type NextReleaseFacts,
} from "../core/delivery/record.ts";
import { listPlannedPhases } from "../core/delivery/planned-phases.ts";
import { judgeProbe, selectProbe } from "../core/delivery/probe.ts";
import { selectUnrecorded, strikeConfirmed } from "../core/edges/owed.ts";
import { selectClearable } from "../core/history/retention.ts";
import { toKeptPointer } from "../core/compare/key-state.ts";
import { RELEASE_ZERO_NOTE } from "../words/notes.ts";
import { readPointer, readWaybill } from "../gather/read-destination.ts";
import { carryOut } from "../perform/carry-out.ts";
import { toConditions, type PerformTools } from "../perform/perform-tools.ts";
import type { HeldDestination } from "../perform/hold.ts";
import { mergeOutcomes, toUnasked, type EdgeOutcome } from "../core/model/edge-outcome.ts";
import type { AskedRound } from "../perform/invalidate.ts";
import { recordImmutableNames, recordWaybill, switchPointer } from "../perform/record.ts";
import { hashSettings } from "../perform/website.ts";
import type { BuildSource } from "../ports/build-source.ts";
import { openAsking } from "./asking.ts";
import { createPerformTools } from "./perform-tools.ts";
import type { Place, PreviewPlace, Stay, Visit } from "./run.ts";
import { whileTold } from "./while-told.ts";
import { withOpenRecord } from "./open-record.ts";
import type { Outlook } from "./outlook.ts";
import { switchSite } from "./switch-site.ts";
import type { Lap, Stopwatch } from "./stopwatch.ts";

export interface WriteTools {
  /** Whether a parcel can be sent where it can't be copied; absent: every one can, as far as there is a source. */
  readonly canSend?: ((parcel: Parcel) => boolean) | undefined;
  readonly hold: HeldDestination;
  readonly stopwatch: Stopwatch;
  /** What is sent; absent: all contents are in the store. */
  readonly source?: Pick<BuildSource, "open" | "findChanged"> | undefined;
}

/** What came of a run, besides what was planned. */
export interface Outcome {
  readonly phases: readonly Lap[];
  /** What each edge that was asked has confirmed, and what not. */
  readonly outcomes: readonly EdgeOutcome[];
  /** What waits until the edges have confirmed: workers. */
  readonly heldBack: ReadonlySet<ObjectKey>;
  /** What was cleared: less than planned while an edge owes, or where the store keeps no two runs apart. */
  readonly cleared?: ReadonlySet<ObjectKey>;
}

/**
 * Carries out what was decided, while the destination is held: open → keep → stock → unmask → probe → switch → record →
 * invalidate → announce → clear; what the edge does by itself is switched after what is written, before what is removed. What each phase guarantees and leaves behind: docs/order-of-effects.md.
 */
export async function writeRelease(stay: Stay, outlook: Outlook, tools: WriteTools): Promise<Outcome> {
  const { store } = stay.place;
  const standing = outlook.decision.newRouting && (await hashSettings(store));
  const facts = toFacts(stay, outlook, standing === undefined ? [] : [standing]);
  // What is about to become wrong is written down before it can (O9).
  return withOpenRecord(store, toOpenDelivery(facts), selectUnrecorded(outlook.state), () =>
    writePhases(stay, outlook, facts, tools),
  );
}

async function writePhases(
  stay: Stay,
  outlook: Outlook,
  before: NextReleaseFacts,
  tools: WriteTools,
): Promise<Outcome> {
  const { run, place } = stay;
  const { store } = place;
  const { plan, makesRelease } = outlook.decision;
  const { hold, stopwatch, source } = tools;
  const left = new Set<ObjectKey>();
  const perform = createTools(stay, outlook, tools, left);
  const etags = new Map<ObjectKey, string>();
  const carry = async (name: StepPhase["name"], phase = phaseOf(plan, name)): Promise<void> => {
    run.interruption.assertGoesOn();
    if (phase.groups.length === 0) return;
    for (const [key, etag] of await carryOut(phase, perform, etags)) etags.set(key, etag);
    stopwatch.lap(name);
  };
  const asked: EdgeOutcome[] = [];
  const { wanted, state, decision } = outlook;
  const { edgeRules } = wanted;
  const asking = openAsking(stay, { parcels: decision.answering, edgeRules, state });
  const ask = async (round: AskedRound): Promise<void> => {
    run.interruption.assertGoesOn();
    asked.push(...(await asking(round)));
    if (round.requests.length > 0) stopwatch.lap(round.phase);
  };
  run.report({ event: "planned", phases: listPlannedPhases(plan, makesRelease) });
  if (!hold.hasConditions) run.report({ event: "warning", warning: { code: "no-conditions" } });

  await carry("keep");
  await carry("stock");
  const announced = stepsOf(phaseOf(plan, "announce")).map(targetOf);
  const pending = new Set(announced);
  await ask({ phase: "unmask", requests: plan.unmaskings, pending });
  await probe(stay, outlook, stopwatch);
  assertBuildUnchanged(source, plan.phases);
  const { settings, narrow } = await switchSite(stay, outlook, { carry, stopwatch });
  const facts = settings === undefined ? before : withSettings(before, settings);
  const current = makesRelease ? await record(stay, facts, etags) : readCurrent(outlook);
  stopwatch.lap("record");
  const lastWriteMs = run.clock.monotonicMs();
  // What was asked for before the pages may have been brought back since, by a fetch that was under way then.
  const again = plan.unmaskings;
  await ask({ phase: "invalidate", requests: plan.invalidations, again, pending, lastWriteMs });
  // Workers only when every edge has confirmed the pages and what they name: none may send a client to what an edge still has old.
  const isHeldBack = hasLeft(asked);
  if (!isHeldBack) {
    await carry("announce");
    const round = { requests: plan.lateInvalidations, lastWriteMs: run.clock.monotonicMs() };
    await ask({ phase: "invalidate", ...round });
  } else for (const late of plan.lateInvalidations) asked.push(toUnasked(late));
  const outcomes = mergeOutcomes(asked);
  if (!hasLeft(outcomes)) await narrow();
  await settle(store, outlook, current, { outcomes, announced: etags });
  await clearUploads(store, outlook.state);
  // An edge that still holds old pages may serve them: what they name stays until it has confirmed.
  const cleared = hasLeft(outcomes) ? new Set<ObjectKey>() : await clear(outlook, { hold, carry, facts });
  for (const key of left) cleared.delete(key);
  await store.remove([openKey(run.name)]);
  const heldBack = isHeldBack ? announced : [];
  return { phases: stopwatch.laps, outcomes, heldBack: new Set(heldBack), cleared };
}

/** Whether an edge has not confirmed something yet, whatever it was asked for since. */
const hasLeft = (asked: readonly EdgeOutcome[]): boolean =>
  mergeOutcomes(asked).some(({ left }) => left.size > 0);

const toFacts = (
  { run, place }: Visit,
  { wanted, state, decision }: Outlook,
  keptSettings: NextReleaseFacts["keptSettings"],
): NextReleaseFacts => ({
  ...{ site: place.site, run: run.name, author: run.author, at: run.clock.now().toISOString() },
  ...{ wanted, state, decision, keptSettings },
  ...(place.preview && { preview: toPreviewRecord(place.preview) }),
});

/** The time of a preview begins anew with each delivery. */
export const toPreviewRecord = ({ name, until }: PreviewPlace): PreviewRecord => ({ name, until });

/** Somebody may have changed the settings since the run began: then both are kept. */
const withSettings = (facts: NextReleaseFacts, settings: Sha256): NextReleaseFacts => ({
  ...facts,
  keptSettings: [...new Set([...facts.keptSettings, settings])],
});

function createTools(
  stay: Stay,
  outlook: Outlook,
  { hold, source, canSend = () => true }: WriteTools,
  left: Set<ObjectKey>,
): PerformTools {
  const { parcels } = outlook.wanted;
  const byKey = new Map(parcels.map((parcel) => [parcel.key, parcel]));
  return createPerformTools(stay, {
    conditions: toConditions(hold.hasConditions),
    open: (parcel) => (source ?? NO_BUILD).open(parcel),
    // Without a build there is nothing to send instead of a copy.
    findParcel: (key) => (source ? byKey.get(key) : undefined),
    findContent: (hash) => source && parcels.find((parcel) => parcel.storedHash === hash && canSend(parcel)),
    assertClearing: (phase) => assertStillCurrent(phase, stay, outlook),
    noteLeft: (key) => left.add(key),
  });
}

/** Of a file without content there is nothing to read. */
const NO_BUILD: Pick<BuildSource, "open"> = {
  open: ({ key, storedHash, size }) => {
    if (size > 0) throw new Error(`there is no build to send ${key} from`);
    return { size, hash: storedHash, open: () => Buffer.alloc(0) };
  },
};

/**
 * One object that was just written is read back as visitors would. Where that fails while one that stood before can be
 * read, new objects are not visible, and pages that need them must not be switched. Throws `not-visible`.
 */
async function probe({ run, place }: Visit, outlook: Outlook, stopwatch: Stopwatch): Promise<void> {
  const { visitors, siteRules, store } = place;
  const chosen = visitors && selectProbe(outlook.decision, siteRules.addressRules);
  if (!visitors || !chosen) return;
  const isRight = async (wanted: { address: string; hashes: readonly string[] }) => {
    const answer = await visitors.ask(wanted.address);
    return {
      address: wanted.address,
      status: answer?.status,
      tls: visitors.unsafe?.(),
      isRight: answer !== undefined && answer.status === 200 && wanted.hashes.includes(answer.hash ?? ""),
    };
  };
  const task = { code: "ask", url: siteRules.url ?? "", addresses: 1 } as const;
  const [fresh, before] = await whileTold(run.report, task, async () => {
    const first = await isRight(chosen.fresh);
    return [first, first.isRight || !chosen.before ? undefined : await isRight(chosen.before)] as const;
  });
  stopwatch.lap("probe");
  const verdict = judgeProbe(fresh, before);
  if (!verdict) return;
  const { severity, unseen } = verdict;
  if (severity === "error") throw new OperatorError("not-visible", { unseen, bucket: store.location.bucket });
  run.report({ event: "warning", warning: { code: "not-visible", unseen } });
}

/** Pages are sent late: whether they are still those that were read is asked before the first of them. */
function assertBuildUnchanged(source: WriteTools["source"], phases: readonly StepPhase[]): void {
  const late = phases
    .filter(({ name }) => name === "switch")
    .flatMap(stepsOf)
    .flatMap((step) => (step.do === "send" ? [step.parcel] : []));
  const path = source?.findChanged(late.filter(({ redirectsTo }) => redirectsTo === undefined));
  if (path !== undefined) throw new OperatorError("build-changed", { path });
}

interface Current {
  readonly pointer: Pointer;
  readonly etag: string | undefined;
}

/** The new release's waybill, then the pointer by compare-and-set; what edges may hold wrongly stands in it as owed. */
async function record(
  { run: { clock, report }, place: { store } }: Visit,
  facts: NextReleaseFacts,
  etags: ReadonlyMap<ObjectKey, string>,
): Promise<Current> {
  const started = clock.monotonicMs();
  report({ event: "phase", phase: "record", state: "started", steps: 2, bytes: 0 });
  const { state } = facts;
  const zero = await recordReleaseZero(store, facts);
  const waybill = toWaybill(facts, etags);
  const waybillHash = await recordWaybill(store, waybill);
  if (state.immutable) {
    const earlier = state.pointer?.retained ?? [];
    const names = extendImmutableNames(state.immutable, waybill, earlier, state.storeTimeMs);
    await recordImmutableNames(store, names);
  }
  const pointer = toPointer(facts, waybillHash, zero);
  const { etag } = await switchPointer(store, pointer, state.pointerEtag);
  const seconds = (clock.monotonicMs() - started) / 1000;
  report({ event: "phase", phase: "record", state: "ended", steps: 2, seconds });
  return { pointer, etag };
}

/** What others had put where this run has written; undefined where there was nothing. */
async function recordReleaseZero(
  store: Place["store"],
  facts: NextReleaseFacts,
): Promise<RetainedRelease | undefined> {
  if (facts.decision.originals.length === 0) return undefined;
  const known = facts.decision.retained.find(({ release }) => release === 0);
  const zero = toReleaseZero(facts, known && (await readWaybill(store, known)), RELEASE_ZERO_NOTE);
  const waybillHash = await recordWaybill(store, zero);
  return { release: 0, run: zero.run, waybillHash, at: zero.at, pageFreshnessSeconds: 0 };
}

function readCurrent({ state }: Outlook): Current {
  if (!state.pointer) throw new Error("nothing is owed where nothing was delivered");
  return { pointer: state.pointer, etag: state.pointerEtag };
}

/** Strikes from the pointer what edges have confirmed and notes the workers; writes nothing where nothing changed. */
async function settle(
  store: Place["store"],
  { decision, state }: Outlook,
  { pointer, etag }: Current,
  { outcomes, announced }: { outcomes: readonly EdgeOutcome[]; announced: ReadonlyMap<ObjectKey, string> },
): Promise<void> {
  // A run that only announces what its release had left asks for addresses that nobody may owe any more.
  const owed = strikeConfirmed(decision.plan.owed, outcomes);
  const found = etagsOfUnchanged(decision.comparison, state);
  const { changes, unrecorded, pending } = decision.comparison;
  const late = [
    ...stepsOf(phaseOf(decision.plan, "announce")).map(targetOf),
    ...[...changes.map(({ parcel }) => parcel.key), ...unrecorded].filter((key) => pending.has(key)),
  ];
  const workers = late.flatMap((key): [ObjectKey, string][] => {
    const etag = announced.get(key) ?? found.get(key);
    return etag === undefined ? [] : [[key, etag]];
  });
  if (JSON.stringify(owed) === JSON.stringify(pointer.owed) && workers.length === 0) return;
  const { announcedMs: _, ...fresh } = pointer;
  const next: Pointer =
    workers.length > 0
      ? { ...fresh, owed, announced: { ...pointer.announced, ...Object.fromEntries(workers) } }
      : { ...(decision.makesRelease ? pointer : toKeptPointer(pointer, state)), owed };
  await switchPointer(store, next, etag);
}

/** Nothing brings back what is cleared: before each batch the pointer is looked at again, and the gate asks for the hold. */
async function assertStillCurrent(
  phase: StepPhase,
  { run, place }: Visit,
  { decision, state }: Outlook,
): Promise<void> {
  if (phase.name !== "clear") return;
  const expected = decision.makesRelease ? run.name : state.pointer?.run;
  if ((await readPointer(place.store))?.pointer.run !== expected) throw new OperatorError("hold-lost");
}

interface ClearTools {
  readonly hold: HeldDestination;
  readonly carry: (name: "clear", phase: StepPhase) => Promise<void>;
  readonly facts: NextReleaseFacts;
}

/** Removes what no retained release needs. @returns the keys */
async function clear(
  { decision: { plan }, state }: Outlook,
  { hold, carry, facts }: ClearTools,
): Promise<Set<ObjectKey>> {
  // Settings that this very run has written over may be the same as some that stood long ago.
  const phase = withoutKeys(phaseOf(plan, "clear"), new Set(facts.keptSettings.map(vaultKey)));
  const clearable = hold.hasConditions ? phase : selectClearable(phase, state);
  if (clearable.groups.length > 0) {
    await carry("clear", clearable);
  }
  return new Set(stepsOf(clearable).map(targetOf));
}

const withoutKeys = ({ name, groups }: StepPhase, keys: ReadonlySet<ObjectKey>): StepPhase => ({
  name,
  groups: groups
    .map((group) => ({ ...group, steps: group.steps.filter((step) => !keys.has(targetOf(step))) }))
    .filter(({ steps }) => steps.length > 0),
});

/**
 * Parts that a run which died had sent, and that nobody puts together any more. Of any size: a new ETag for a small file is
 * made by a copy in parts. Whether edges have confirmed does not matter: with this run's record the last word of them goes.
 */
async function clearUploads(store: Place["store"], { open = [] }: Outlook["state"]): Promise<void> {
  const written = open.flatMap(({ parcels, originals }) => [...parcels, ...originals]);
  const keys = new Set(written.flatMap(({ key, storedHash }) => [key, vaultKey(storedHash)]));
  if (keys.size > 0) await store.abandonUploads(keys);
}

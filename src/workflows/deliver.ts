import type { DeliveryDecision } from "../core/delivery.ts";
import { toDeliveryResult } from "../core/delivery-result.ts";
import { extendImmutableNames } from "../core/immutable-names.ts";
import { OperatorError } from "../core/failures.ts";
import type { ObjectKey } from "../core/model/names.ts";
import { phaseOf, stepsOf, targetOf, type EdgeInvalidation, type PhaseName } from "../core/model/plan.ts";
import type { OwedInvalidation, Pointer, Waybill } from "../core/model/release.ts";
import { toPointer, toWaybill } from "../core/next-release.ts";
import { placeOf } from "../core/problems.ts";
import type { DeliveryResult } from "../core/results.ts";
import { readPointer } from "../gather/read-destination.ts";
import { carryOut, type PerformTools } from "../perform/carry-out.ts";
import { askEdges } from "../perform/invalidate.ts";
import { recordImmutableNames, recordWaybill, switchPointer } from "../perform/record.ts";
import { switchRouting } from "../perform/website.ts";
import type { Delivery } from "./delivery.ts";
import { planAgain, planOutlook, type Outlook } from "./outlook.ts";

/** Steps side by side: enough to hide a network's latency, few enough for a small server. */
const WIDTH = 16;

export interface DeliverOptions {
  readonly dryRun: boolean;
  readonly all: boolean;
  /** Asks a person before the first write; undefined: nobody is asked. Throws `answer-needed`, `answered-no`. */
  readonly confirm?: (result: DeliveryResult) => Promise<void>;
  /** Counts confirmed writes, for messages about a run that failed. */
  readonly progress: { written: number };
}

/**
 * Makes a destination match a build: keep → stock → unmask → switch → record → invalidate → announce → clear.
 * What each phase guarantees and leaves behind: docs/order-of-effects.md.
 */
export async function deliver(delivery: Delivery, options: DeliverOptions): Promise<DeliveryResult> {
  const seconds = createStopwatch(delivery);
  let outlook = await planOutlook(delivery);
  assertNotRefused(outlook.decision);
  seconds.lap("gather");
  if (isIdle(outlook) || options.dryRun) {
    return toResult(delivery, outlook, options, { ...NOTHING_YET, phases: seconds.laps });
  }
  if (options.confirm) {
    await options.confirm(toResult(delivery, outlook, { ...options, dryRun: true }, NOTHING_YET));
    outlook = await planAgainIfMoved(delivery, outlook);
    assertNotRefused(outlook.decision);
    seconds.skip();
  }

  const { plan, makesRelease } = outlook.decision;
  const tools = createTools(delivery, options.progress);
  const etags = new Map<ObjectKey, string>();
  const carry = async (name: "keep" | "stock" | "switch" | "announce" | "clear"): Promise<void> => {
    const phase = phaseOf(plan, name);
    if (phase.groups.length === 0) return;
    for (const [key, etag] of await carryOut(phase, tools)) etags.set(key, etag);
    seconds.lap(name);
  };

  const owing = new Set<string>();
  const ask = async (
    name: "unmask" | "invalidate",
    requests: readonly EdgeInvalidation[],
  ): Promise<boolean> => {
    const confirmed = await askEdges(delivery, name, requests);
    for (const { edge } of requests) if (!confirmed.has(edge)) owing.add(edge);
    if (requests.length > 0) seconds.lap(name);
    return requests.every(({ edge }) => confirmed.has(edge));
  };

  await carry("keep");
  await carry("stock");
  await ask("unmask", plan.unmaskings);
  await carry("switch");
  // Redirects are switched after what they lead to.
  if (outlook.decision.newRouting) await switchRouting(delivery.store, outlook.decision.newRouting);
  const current = makesRelease ? await record(delivery, outlook, etags) : readCurrent(outlook);
  seconds.lap("record");
  const isConfirmed = await ask("invalidate", plan.invalidations);
  // Workers only when every edge has confirmed the pages: none may send a client to a page that the edge still has old.
  if (isConfirmed) await carry("announce");
  if (isConfirmed) await ask("invalidate", plan.lateInvalidations);
  else for (const { edge } of plan.lateInvalidations) owing.add(edge);
  const confirmed = new Set(delivery.edges.map(({ name }) => name).filter((name) => !owing.has(name)));
  await settle(delivery, outlook, current, { confirmed, announced: etags });
  // An edge that still holds old pages may serve them: what they name stays until it has confirmed.
  if (owing.size === 0) await carry("clear");
  return toResult(delivery, outlook, options, { phases: seconds.laps, confirmed });
}

/** How many findings of one guard a refusal names before it counts the rest. */
const MOST_FINDINGS = 8;

/** Throws `refused` with everything that speaks against a delivery, guard by guard. */
export function assertNotRefused({ refusals }: DeliveryDecision): void {
  if (refusals.length === 0) return;
  const codes = [...new Set(refusals.map(({ code }) => code))];
  const blocks = codes.map((code) => {
    const found = refusals.filter((problem) => problem.code === code);
    const lines = found.slice(0, MOST_FINDINGS).map((problem) => `  ${placeOf(problem)}${problem.message}`);
    const more = found.length > MOST_FINDINGS ? [`  and ${found.length - MOST_FINDINGS} more`] : [];
    return [...lines, ...more, `    ${found[0]?.hint ?? ""} (${code})`].join("\n");
  });
  throw new OperatorError("refused", { problems: blocks.join("\n") }, { codes: codes.join(",") });
}

const isIdle = ({ decision }: Outlook): boolean =>
  !decision.makesRelease &&
  decision.plan.invalidations.length === 0 &&
  decision.comparison.pending.size === 0;

interface Current {
  readonly pointer: Pointer;
  readonly etag: string | undefined;
}

/** The new release's waybill, then the pointer by compare-and-set; what edges may hold wrongly stands in it as owed. */
async function record(
  { store, target, run, author, clock, report }: Delivery,
  outlook: Outlook,
  etags: ReadonlyMap<ObjectKey, string>,
): Promise<Current> {
  const started = clock.monotonicMs();
  report({ event: "phase", phase: "record", state: "started", steps: 2, bytes: 0 });
  const facts = { ...outlook, site: target.site, run, at: clock.now().toISOString(), ...author };
  const waybill: Waybill = toWaybill(facts, etags);
  const waybillHash = await recordWaybill(store, waybill);
  const { state } = outlook;
  if (state.immutable) {
    const standing = [...waybill.parcels, ...waybill.standing];
    await recordImmutableNames(store, extendImmutableNames(state.immutable, standing, state.storeTimeMs));
  }
  const pointer = toPointer(facts, waybillHash);
  const { etag } = await switchPointer(store, pointer, outlook.state.pointerEtag);
  report({
    event: "phase",
    phase: "record",
    state: "ended",
    steps: 2,
    seconds: (clock.monotonicMs() - started) / 1000,
  });
  return { pointer, etag };
}

function readCurrent({ state }: Outlook): Current {
  if (!state.pointer) throw new Error("nothing is owed where nothing was delivered");
  return { pointer: state.pointer, etag: state.pointerEtag };
}

/** Strikes from the pointer what edges have confirmed and notes the workers; writes nothing where nothing changed. */
async function settle(
  { store }: Delivery,
  { decision }: Outlook,
  { pointer, etag }: Current,
  { confirmed, announced }: { confirmed: ReadonlySet<string>; announced: ReadonlyMap<ObjectKey, string> },
): Promise<void> {
  const owed: OwedInvalidation[] = pointer.owed.filter(({ edge }) => !confirmed.has(edge));
  const found = new Map(decision.comparison.unchanged.map(({ key, etag }) => [key, etag]));
  const late = [
    ...stepsOf(phaseOf(decision.plan, "announce")).map(targetOf),
    ...decision.comparison.unrecorded.filter((key) => decision.comparison.pending.has(key)),
  ];
  const workers = late.flatMap((key): [ObjectKey, string][] => {
    const etag = announced.get(key) ?? found.get(key);
    return etag === undefined ? [] : [[key, etag]];
  });
  if (owed.length === pointer.owed.length && workers.length === 0) return;
  const next = { ...pointer, owed, announced: { ...pointer.announced, ...Object.fromEntries(workers) } };
  await switchPointer(store, next, etag);
}

/** A person's answer may take minutes: what was planned counts only while nobody else has delivered. */
async function planAgainIfMoved(delivery: Delivery, outlook: Outlook): Promise<Outlook> {
  const standing = await readPointer(delivery.store);
  return standing?.etag === outlook.state.pointerEtag ? outlook : planAgain(delivery, outlook.build);
}

const createTools = (
  { store, source, clock, report }: Delivery,
  progress: { written: number },
): PerformTools => ({ store, clock, report, width: WIDTH, progress, open: (parcel) => source.open(parcel) });

interface Lap {
  readonly name: PhaseName | "gather";
  readonly seconds: number;
}

interface Stopwatch {
  readonly laps: Lap[];
  /** Ends a lap; laps of the same name are one. */
  lap(name: Lap["name"]): void;
  /** Leaves out what has passed: the time that a person took to answer. */
  skip(): void;
}

function createStopwatch({ clock }: Delivery): Stopwatch {
  const laps: Lap[] = [];
  let last = clock.monotonicMs();
  return {
    laps,
    skip: () => {
      last = clock.monotonicMs();
    },
    lap: (name) => {
      const now = clock.monotonicMs();
      const known = laps.findIndex((lap) => lap.name === name);
      const seconds = (now - last) / 1000 + (laps[known]?.seconds ?? 0);
      laps.splice(known < 0 ? laps.length : known, known < 0 ? 0 : 1, { name, seconds });
      last = now;
    },
  };
}

function toResult(
  delivery: Delivery,
  outlook: Outlook,
  { all, dryRun }: Pick<DeliverOptions, "all" | "dryRun">,
  run: Outcome,
): DeliveryResult {
  const { target, requests } = delivery;
  return toDeliveryResult({ ...target, ...outlook, all, dryRun, requests: { ...requests }, ...run });
}

/** What came of a run, besides what was planned. */
interface Outcome {
  readonly phases: readonly Lap[];
  /** Edges that have confirmed. */
  readonly confirmed: ReadonlySet<string>;
}

const NOTHING_YET: Outcome = { phases: [], confirmed: new Set() };

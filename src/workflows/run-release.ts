import type { Parcel } from "../core/model/parcel.ts";
import { HOLD_KEY } from "../core/model/names.ts";
import { readPointer } from "../gather/read-destination.ts";
import type { HeldDestination } from "../perform/hold.ts";
import type { BuildSource } from "../ports/build-source.ts";
import type { DeliveryResult } from "../results/delivery.ts";
import { toDeliveryResult } from "../results/to-delivery.ts";
import { withHold } from "./hold.ts";
import type { Outlook } from "./outlook.ts";
import { assertNotRefused } from "./refuse.ts";
import type { Stay } from "./run.ts";
import { createStopwatch, type Stopwatch } from "./stopwatch.ts";
import { toPreviewRecord, writeRelease, type Outcome } from "./write-release.ts";

export interface DeliverOptions {
  readonly dryRun: boolean;
  readonly all: boolean;
  /** How long to wait for another delivery to end, in seconds; absent: not at all. */
  readonly queueSeconds?: number;
  /** Asks a person before the first write, where one is to be asked. Throws `answer-needed`, `answered-no`. */
  readonly confirm?: (result: DeliveryResult, asks: Asks) => Promise<void>;
}

/** What a person must be asked about besides the delivery itself. */
export interface Asks {
  /** Keys of the build under which objects of somebody else stand. */
  readonly takesOver: readonly string[];
}

/** What tells one kind of run from another: how its outlook is worked out, first and once more. */
export interface ReleasePlanner<O extends Outlook> {
  readonly work: "deliver" | "redeliver";
  /** What is sent; absent: all contents are in the store. */
  readonly source?: Pick<BuildSource, "open" | "findChanged">;
  /** Whether a parcel can be sent where it can't be copied; absent: every one can. */
  readonly canSend?: (parcel: Parcel) => boolean;
  /** The build that refusals are about; absent: none. */
  readonly folderOf?: (outlook: O) => string;
  readonly plan: () => Promise<O>;
  /** After another run, or a person's answer, may have changed the destination. */
  readonly planAgain: (outlook: O) => Promise<O>;
}

/** Gathers and decides without the hold, ends there if nothing is to be done, else takes the hold and writes. */
export async function runRelease<O extends Outlook>(
  stay: Stay,
  options: DeliverOptions,
  { work, source, canSend, folderOf, plan, planAgain }: ReleasePlanner<O>,
): Promise<DeliveryResult> {
  const { run, place } = stay;
  const stopwatch = createStopwatch(run.clock);
  const assertAllowed = (one: O): void => {
    assertNotRefused(one.decision, folderOf?.(one) ?? "", run.report);
  };
  let outlook = await plan();
  assertAllowed(outlook);
  stopwatch.lap("gather");
  if (isIdle(outlook) || options.dryRun) return toResult(stay, outlook, options, ended(stopwatch));
  if (options.confirm) {
    const planned = toResult(stay, outlook, { ...options, dryRun: true }, ended(stopwatch));
    await options.confirm(planned, { takesOver: outlook.decision.takesOver });
    stopwatch.skip();
  }
  return withHold(stay, { work, queueSeconds: options.queueSeconds ?? 0 }, async (hold) => {
    stopwatch.lap("hold");
    if (await hasMoved(place.store, outlook, hold)) {
      outlook = await planAgain(outlook);
      assertAllowed(outlook);
      stopwatch.lap("gather");
      if (isIdle(outlook)) return toResult(stay, outlook, options, ended(stopwatch));
    }
    const outcome = await writeRelease(stay, outlook, { hold, stopwatch, source, canSend });
    return toResult(stay, outlook, options, outcome);
  });
}

const isIdle = ({ decision, state }: Outlook): boolean =>
  !decision.makesRelease &&
  decision.plan.invalidations.length === 0 &&
  decision.comparison.pending.size === 0 &&
  (state.open ?? []).length === 0;

/**
 * Whether another run may have written since this one looked: it held the destination in between, or held it then. What
 * such a run cleared away is not told by the pointer.
 */
async function hasMoved(
  store: Stay["place"]["store"],
  { state }: Outlook,
  { before }: HeldDestination,
): Promise<boolean> {
  const seen = state.listing.find(({ key }) => key === HOLD_KEY)?.etag;
  const isUntouched = seen === before?.etag && (before === undefined || before.isReleased);
  return !isUntouched || (await readPointer(store))?.etag !== state.pointerEtag;
}

const ended = ({ laps }: Stopwatch): Outcome => ({ phases: laps, outcomes: [], heldBack: new Set() });

/** What a run did, or would do. */
export function toResult(
  { place, safety }: Stay,
  { decision, state, wanted }: Outlook,
  { all, dryRun }: Pick<DeliverOptions, "all" | "dryRun">,
  outcome: Outcome,
): DeliveryResult {
  const { site, destination, siteRules, tally, preview } = place;
  return toDeliveryResult({
    ...{ site, destination, url: siteRules.url, decision, state, origin: wanted.origin },
    firstVisit: wanted.firstVisit,
    preview: preview && (decision.makesRelease ? toPreviewRecord(preview) : state.pointer?.preview),
    ...{ retention: safety.retention, askedAnew: siteRules.headers.askedAnew },
    ...{ all, dryRun, requests: tally.requests, ...outcome },
  });
}

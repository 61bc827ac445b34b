import { toDeliveryResult } from "../results/to-delivery.ts";
import { HOLD_KEY } from "../core/model/names.ts";
import type { DeliveryResult } from "../results/delivery.ts";
import { readPointer } from "../gather/read-destination.ts";
import { takeHold, type HeldDestination } from "../perform/hold.ts";
import type { Delivery } from "./delivery.ts";
import type { Outlook } from "./outlook.ts";
import { assertNotRefused } from "./refuse.ts";
import { createStopwatch, type Stopwatch } from "./stopwatch.ts";
import { writeRelease, type Outcome } from "./write-release.ts";

export interface DeliverOptions {
  readonly dryRun: boolean;
  readonly all: boolean;
  /** How long to wait for another delivery to end, in seconds; absent: not at all. */
  readonly queueSeconds?: number;
  /** Asks a person before the first write, where one is to be asked. Throws `answer-needed`, `answered-no`. */
  readonly confirm?: (result: DeliveryResult, asks: Asks) => Promise<void>;
  /** Counts confirmed writes, for messages about a run that failed. */
  readonly progress: { written: number };
}

/** What a person must be asked about besides the delivery itself. */
export interface Asks {
  /** Keys of the build under which objects of somebody else stand. */
  readonly takesOver: readonly string[];
}

/** What tells one kind of run from another: how its outlook is worked out, first and once more. */
export interface ReleasePlanner {
  readonly work: "deliver" | "redeliver";
  readonly plan: () => Promise<Outlook>;
  /** After another run, or a person's answer, may have changed the destination. */
  readonly planAgain: (outlook: Outlook) => Promise<Outlook>;
}

/** Gathers and decides without the hold, ends there if nothing is to be done, else takes the hold and writes. */
export async function runRelease(
  delivery: Delivery,
  options: DeliverOptions,
  { work, plan, planAgain }: ReleasePlanner,
): Promise<DeliveryResult> {
  const seconds = createStopwatch(delivery.clock);
  let outlook = await plan();
  assertNotRefused(outlook, delivery.report);
  seconds.lap("gather");
  if (isIdle(outlook) || options.dryRun) return toResult(delivery, outlook, options, ended(seconds));
  if (options.confirm) {
    const planned = toResult(delivery, outlook, { ...options, dryRun: true }, ended(seconds));
    await options.confirm(planned, { takesOver: outlook.decision.takesOver });
    seconds.skip();
  }
  return withHold(delivery, { work, queueSeconds: options.queueSeconds ?? 0 }, async (hold) => {
    seconds.lap("hold");
    if (await hasMoved(delivery, outlook, hold)) {
      outlook = await planAgain(outlook);
      assertNotRefused(outlook, delivery.report);
      seconds.lap("gather");
      if (isIdle(outlook)) return toResult(delivery, outlook, options, ended(seconds));
    }
    const outcome = await writeRelease(delivery, outlook, { hold, seconds, progress: options.progress });
    return toResult(delivery, outlook, options, outcome);
  });
}

/** Does something while the destination is ours; lets go of it whatever comes of that. Throws `held`, `hold-lost`. */
export async function withHold<T>(
  { store, clock, machine, report, run, author, target, gate, interruption }: Delivery,
  wish: { readonly work: string; readonly queueSeconds: number },
  work: (hold: HeldDestination) => Promise<T>,
): Promise<T> {
  const { by } = author;
  const tools = { store, clock, machine, report, run, by, leaseSeconds: target.leaseSeconds };
  const hold = await takeHold(
    {
      ...tools,
      assertGoesOn: () => {
        interruption.assertGoesOn();
      },
    },
    wish,
  );
  gate.assertOurs = () => hold.assertOurs();
  try {
    return await work(hold);
  } finally {
    gate.assertOurs = undefined;
    await hold.letGo();
  }
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
  { store }: Delivery,
  { state }: Outlook,
  { before }: HeldDestination,
): Promise<boolean> {
  const seen = state.listing.find(({ key }) => key === HOLD_KEY)?.etag;
  const isUntouched = seen === before?.etag && (before === undefined || before.isReleased);
  return !isUntouched || (await readPointer(store))?.etag !== state.pointerEtag;
}

const ended = ({ laps }: Stopwatch): Outcome => ({ phases: laps, confirmed: new Set() });

function toResult(
  delivery: Delivery,
  outlook: Outlook,
  { all, dryRun }: Pick<DeliverOptions, "all" | "dryRun">,
  run: Outcome,
): DeliveryResult {
  const { target, requests } = delivery;
  return toDeliveryResult({ ...target, ...outlook, all, dryRun, requests: { ...requests }, ...run });
}

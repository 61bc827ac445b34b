import { OperatorError } from "../core/model/failure.ts";
import {
  isRenewalDue,
  isSurelyOurs,
  mayTakeOver,
  parseHold,
  toHoldText,
  type ClockReading,
} from "../core/delivery/hold.ts";
import type { Hold } from "../core/model/hold.ts";
import { HOLD_KEY } from "../core/model/names.ts";
import type { Clock } from "../ports/clock.ts";
import type { Machine } from "../ports/machine.ts";
import { StoreError, type Condition, type ObjectStore, type Written } from "../ports/object-store.ts";
import type { Reporter } from "../ports/reporter.ts";
import { readSmall, toContent, STATE_HEADERS } from "./record.ts";

/**
 * The hold of a destination: one delivery at a time.
 *
 * Calling sequence: `takeHold`, then writes only through the gate (gate.ts), then `letGo`, whatever happened.
 * Guaranteed, on a store that checks conditions: no other run holds the destination while `assertOurs` resolves, and a
 * write begins only within half a lease of a renewal that the store has confirmed. Not guaranteed: that a write which began
 * in time also ends in time; the condition that each write carries catches that one.
 * A failure leaves a hold that the next run may take after a lease at most; at once on the same machine.
 */
export interface HeldDestination {
  /** Whether the store was seen to check conditions. */
  readonly hasConditions: boolean;
  /** The hold that stood before this one; undefined: nobody ever had it. */
  readonly before: { readonly etag: string; readonly isReleased: boolean } | undefined;
  /** Throws `hold-lost` where the hold is not surely ours; renews it when that is due. */
  assertOurs(): Promise<void>;
  letGo(): Promise<void>;
}

export interface HoldTools {
  readonly store: ObjectStore;
  readonly clock: Clock;
  readonly machine: Machine;
  readonly report: Reporter;
  readonly run: string;
  readonly by: string;
  readonly leaseSeconds: number;
  /** Throws where a person has stopped the run. */
  readonly assertGoesOn: () => void;
}

export interface HoldWish {
  /** What for, in a word: a command, or `repair`. */
  readonly work: string;
  /** How long to wait for another run, in seconds; 0: not at all. */
  readonly queueSeconds: number;
}

/** How often a hold of somebody else is looked at. */
const LOOK_MS = 1000;

/** Takes the hold. Throws `held` (exit 6) where another run has it for longer than this one may wait. */
export async function takeHold(tools: HoldTools, wish: HoldWish): Promise<HeldDestination> {
  const { clock, report } = tools;
  const began = clock.monotonicMs();
  let watched = { etag: "", sinceMs: began };
  let isTold = false;
  for (;;) {
    tools.assertGoesOn();
    const seen = await lookAtHold(tools.store);
    const now = clock.monotonicMs();
    if (seen && seen.etag !== watched.etag) watched = { etag: seen.etag, sinceMs: now };
    const isFree =
      !seen ||
      mayTakeOver({
        hold: seen.hold,
        watchedMs: now - watched.sinceMs,
        ageMs: seen.ageMs,
        isAlive: seen.hold && tools.machine.isAlive(seen.hold),
      });
    if (isFree) {
      const taken = await tryToTake(tools, wish, seen);
      if (taken)
        return new OwnHold(
          tools,
          taken,
          seen && { etag: seen.etag, isReleased: seen.hold?.isReleased === true },
        );
    } else if (now - began >= wish.queueSeconds * 1000) throw toHeld(seen.hold, wish.queueSeconds);
    else if (!isTold) {
      isTold = true;
      report({ event: "warning", warning: { code: "queued", hold: seen.hold } });
    }
    await clock.sleep(isFree ? 50 : LOOK_MS);
  }
}

/** Who has the hold; undefined: nobody ever had it. */
export async function lookAtHold(store: ObjectStore): Promise<SeenHold | undefined> {
  // The list tells both times by the store's own clock, which an answer to a read does not on every store.
  for await (const { objects, storeTimeMs } of store.list(HOLD_KEY)) {
    const listed = objects.find(({ key }) => key === HOLD_KEY);
    if (!listed) continue;
    const found = await readSmall(store, HOLD_KEY);
    if (!found) return undefined;
    const ageMs = storeTimeMs === undefined ? undefined : storeTimeMs - listed.modifiedMs;
    // Renewed between the two calls: then the list's time is too old.
    return { etag: found.etag, hold: parseHold(found.text), ageMs: found.etag === listed.etag ? ageMs : 0 };
  }
  return undefined;
}

export interface SeenHold {
  readonly etag: string;
  readonly hold: Hold | undefined;
  readonly ageMs: number | undefined;
}

/** Ends somebody else's hold; that run notices before its next write. */
export async function endHold(store: ObjectStore, { etag, hold }: SeenHold): Promise<void> {
  if (!hold) throw new OperatorError("hold-unreadable");
  const ended = { ...hold, isReleased: true, renewal: hold.renewal + 1 };
  try {
    await putHold(store, ended, { ifEtag: etag });
  } catch (error) {
    // Refused although nothing has changed: this store can't tell, and a person has seen whose hold it is.
    if (!isRefusal(error) || (await lookAtHold(store))?.etag !== etag) throw error;
    await putHold(store, ended);
  }
}

interface TakenHold {
  readonly hold: Hold;
  readonly etag: string;
  readonly renewed: ClockReading;
}

/** Undefined: another run was faster. */
async function tryToTake(
  tools: HoldTools,
  wish: HoldWish,
  seen: SeenHold | undefined,
): Promise<TakenHold | undefined> {
  const { store, clock, machine, run, by, leaseSeconds } = tools;
  const hold: Hold = {
    ...{ run, by, leaseSeconds, work: wish.work, at: clock.now().toISOString() },
    ...machine.describe(),
    renewal: 0,
    conditions: seen?.hold?.conditions === true ? true : undefined,
    isReleased: false,
  };
  const condition: Condition = seen ? { ifEtag: seen.etag } : { ifAbsent: true };
  for (let tries = 1; ; tries++) {
    const renewed = readClocks(clock);
    const written = await putIf(store, hold, condition);
    if (written === "unsupported") return takeUnconditionally(tools, hold);
    const standing = written === "refused" ? await lookAtHold(store) : undefined;
    // A refusal is never believed alone: the answer to our own success may have been lost.
    const own = written === "refused" ? (standing?.hold?.run === run ? standing : undefined) : written;
    if (own) {
      const taken = { hold, etag: own.etag, renewed };
      return hold.conditions === true && written !== "refused" ? taken : findOutConditions(tools, taken);
    }
    if (standing?.etag !== seen?.etag) return undefined;
    // Nothing has changed, and yet it was refused, twice: a bucket that keeps versions may refuse every condition.
    if (tries >= TRIES) return takeUnconditionally(tools, hold);
    await clock.sleep(TRY_MS);
  }
}

/** How often a condition that holds is refused before it counts as one that can't be checked. */
const TRIES = 2;
const TRY_MS = 200;

/**
 * Found out once for a destination: a condition that can't hold must be refused, and one that holds must not be. That the
 * store checks conditions is written down with the next renewal only, when both were tried: a run that dies in between must
 * not leave a word that nobody has proved.
 */
async function findOutConditions(tools: HoldTools, taken: TakenHold): Promise<TakenHold | undefined> {
  const { store, run } = tools;
  const { hold } = taken;
  const next = { ...hold, conditions: undefined, renewal: hold.renewal + 1 };
  const impossible = await putIf(store, next, { ifEtag: "0123456789abcdef0123456789abcdef" });
  // It was written over whatever stood there, which may have been another run's by then.
  if (typeof impossible === "object")
    return waitForOthers(tools, { ...taken, hold: next, etag: impossible.etag });
  const accepted = await putIf(store, next, { ifEtag: taken.etag });
  if (typeof accepted === "object") return { ...taken, hold: toChecked(next), etag: accepted.etag };
  const standing = await lookAtHold(store);
  if (standing?.hold?.run !== run) return undefined;
  // The answer to a write that took effect may have been lost.
  if (standing.etag !== taken.etag) return { ...taken, hold: toChecked(next), etag: standing.etag };
  return takeUnconditionally(tools, hold);
}

const toChecked = (hold: Hold): Hold => ({ ...hold, conditions: true });

/** Writes the hold under a condition, and tells apart what may come of that. */
async function putIf(
  store: ObjectStore,
  hold: Hold,
  condition: Condition,
): Promise<Written | "refused" | "unsupported"> {
  try {
    return await putHold(store, hold, condition);
  } catch (error) {
    if (isRefusal(error)) return "refused";
    if (error instanceof StoreError && error.kind === "conditions-unsupported") return "unsupported";
    throw error;
  }
}

const isRefusal = (error: unknown): boolean => error instanceof StoreError && error.kind === "precondition";

/** How long two runs that take a hold side by side need to see each other. */
const NOTICE_MS = 2000;

/** The next best on a store that checks no conditions: write, wait, and see whether another run has done the same. */
async function takeUnconditionally(tools: HoldTools, hold: Hold): Promise<TakenHold | undefined> {
  const { store, clock } = tools;
  const renewed = readClocks(clock);
  const { etag } = await putHold(store, { ...hold, conditions: false });
  return waitForOthers(tools, { hold, etag, renewed });
}

/** Undefined: another run has written over it meanwhile, and has it now. */
async function waitForOthers(
  tools: HoldTools,
  { hold, ...taken }: TakenHold,
): Promise<TakenHold | undefined> {
  await tools.clock.sleep(NOTICE_MS);
  const standing = await lookAtHold(tools.store);
  if (standing?.hold?.run !== hold.run) return undefined;
  return { ...taken, hold: { ...hold, conditions: false }, etag: standing.etag };
}

class OwnHold implements HeldDestination {
  private lost = false;
  private renewal: number;
  private renewing: Promise<void> | undefined;
  private readonly stopRenewing: () => void;

  constructor(
    private readonly tools: HoldTools,
    private taken: TakenHold,
    readonly before: HeldDestination["before"],
  ) {
    const { leaseSeconds } = tools;
    this.renewal = taken.hold.renewal;
    // A run that only reads or waits for an edge must keep its hold too.
    this.stopRenewing = tools.clock.every((leaseSeconds * 1000) / 3, () => {
      this.renew().catch(() => undefined);
    });
  }

  get hasConditions(): boolean {
    return this.taken.hold.conditions === true;
  }

  async assertOurs(): Promise<void> {
    if (!this.lost && isRenewalDue(this.taken.renewed, this.now(), this.tools.leaseSeconds)) {
      if (this.isSure()) void this.renew().catch(() => undefined);
      else {
        // One that was under way when the machine fell asleep tells of the time before.
        await this.renewing?.catch(() => undefined);
        // eslint-disable-next-line @typescript-eslint/no-unnecessary-condition -- it may have been lost meanwhile
        if (!this.lost && !this.isSure()) await this.renew();
      }
    }
    if (this.lost || !this.isSure()) throw new OperatorError("hold-lost");
  }

  private now(): ClockReading {
    return readClocks(this.tools.clock);
  }

  private isSure(): boolean {
    return isSurelyOurs(this.taken.renewed, this.now(), this.tools.leaseSeconds);
  }

  async letGo(): Promise<void> {
    this.stopRenewing();
    await this.renewing?.catch(() => undefined);
    if (this.lost) return;
    const { hold, etag } = this.taken;
    try {
      await putHold(
        this.tools.store,
        { ...hold, isReleased: true, renewal: this.renewal + 1 },
        this.hasConditions ? { ifEtag: etag } : undefined,
      );
    } catch (error) {
      // It ends by itself after a lease, or another run has it by now: what was delivered stands all the same.
      if (!(error instanceof StoreError)) throw error;
    }
  }

  private renew(): Promise<void> {
    this.renewing ??= this.renewOnce().finally(() => {
      this.renewing = undefined;
    });
    return this.renewing;
  }

  private async renewOnce(): Promise<void> {
    const { store, clock, run } = this.tools;
    for (let tries = 1; tries <= TRIES; tries++) {
      // Each try has a number of its own: one that reaches the store late is not taken for this one.
      this.renewal += 1;
      const hold = { ...this.taken.hold, renewal: this.renewal };
      const renewed = readClocks(clock);
      if (!this.hasConditions && (await lookAtHold(store))?.hold?.run !== run) {
        this.lost = true;
        return;
      }
      const condition = this.hasConditions ? { ifEtag: this.taken.etag } : undefined;
      try {
        const { etag } = await putHold(store, hold, condition);
        this.taken = { hold, etag, renewed };
        return;
      } catch (error) {
        if (!isRefusal(error)) throw error;
      }
      const standing = await lookAtHold(store);
      if (standing?.hold?.run !== run || standing.hold.isReleased) {
        this.lost = true;
        return;
      }
      // Only what was just written is a renewal; an earlier one that came late is gone over by the next.
      const isOwn = standing.hold.renewal === this.renewal;
      this.taken = { ...this.taken, ...(isOwn && { hold, renewed }), etag: standing.etag };
      if (isOwn) return;
    }
  }
}

const putHold = (store: ObjectStore, hold: Hold, condition?: Condition): Promise<Written> =>
  store.put(
    HOLD_KEY,
    toContent(Buffer.from(toHoldText(hold))),
    { ...STATE_HEADERS, "content-type": "application/json" },
    condition,
  );

const readClocks = (clock: Clock): ClockReading => ({
  monotonicMs: clock.monotonicMs(),
  wallMs: clock.now().getTime(),
});

/** @param queued how long it was waited for, in seconds */
function toHeld(hold: Hold | undefined, queued: number): OperatorError {
  return new OperatorError("held", { hold, queued, lease: hold?.leaseSeconds ?? 30 });
}

import { OperatorError } from "../core/failures.ts";
import {
  isRenewalDue,
  isSurelyOurs,
  mayTakeOver,
  parseHold,
  toHoldText,
  type ClockReading,
  type Hold,
} from "../core/hold.ts";
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
  /** What for: `deliver`, `redeliver`, … */
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
    } else if (now - began >= wish.queueSeconds * 1000) throw toHeld(seen.hold);
    else if (!isTold) {
      isTold = true;
      report({ event: "warning", code: "queued", message: `waiting for ${describe(seen.hold)}` });
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
  const renewed = readClocks(clock);
  try {
    const condition: Condition = seen ? { ifEtag: seen.etag } : { ifAbsent: true };
    const { etag } = await putHold(store, hold, condition);
    if (hold.conditions === true) return { hold, etag, renewed };
    return await findOutConditions(store, { hold, etag, renewed });
  } catch (error) {
    if (!(error instanceof StoreError)) throw error;
    if (error.kind === "conditions-unsupported") return takeUnconditionally(tools, hold);
    if (error.kind !== "precondition") throw error;
    // Never believed alone: the answer to our own success may have been lost.
    const standing = await lookAtHold(store);
    if (standing?.hold?.run === run) return findOutConditions(store, { hold, etag: standing.etag, renewed });
    // Nothing has changed, and yet it was refused: a bucket that keeps versions may refuse every condition.
    return standing?.etag === seen?.etag ? takeUnconditionally(tools, hold) : undefined;
  }
}

/** Found out once for a destination: a condition that can't hold must be refused, and one that holds must not be. */
async function findOutConditions(store: ObjectStore, taken: TakenHold): Promise<TakenHold> {
  const { hold } = taken;
  const withAnswer = async (condition: Condition): Promise<Written | undefined> => {
    try {
      return await putHold(store, { ...hold, conditions: true, renewal: hold.renewal + 1 }, condition);
    } catch (error) {
      if (isRefusal(error)) return undefined;
      throw error;
    }
  };
  const impossible = await withAnswer({ ifEtag: "0123456789abcdef0123456789abcdef" });
  if (impossible) return { ...taken, hold: { ...hold, conditions: false }, etag: impossible.etag };
  const accepted = (await withAnswer({ ifEtag: taken.etag })) ?? (await findOwnSuccess(store, taken));
  if (!accepted) return { ...taken, hold: { ...hold, conditions: false } };
  return { ...taken, hold: { ...hold, conditions: true, renewal: hold.renewal + 1 }, etag: accepted.etag };
}

/** The answer to a write that took effect may have been lost. */
async function findOwnSuccess(store: ObjectStore, { hold, etag }: TakenHold): Promise<Written | undefined> {
  const standing = await lookAtHold(store);
  return standing && standing.etag !== etag && standing.hold?.run === hold.run ? standing : undefined;
}

const isRefusal = (error: unknown): boolean => error instanceof StoreError && error.kind === "precondition";

/** How long two runs that take a hold side by side need to see each other. */
const NOTICE_MS = 2000;

/** The next best on a store that checks no conditions: write, wait, and see whether another run has done the same. */
async function takeUnconditionally(tools: HoldTools, hold: Hold): Promise<TakenHold | undefined> {
  const { store, clock } = tools;
  const own = { ...hold, conditions: false };
  const renewed = readClocks(clock);
  const { etag } = await putHold(store, own);
  await clock.sleep(NOTICE_MS);
  const standing = await lookAtHold(store);
  return standing?.hold?.run === hold.run ? { hold: own, etag, renewed } : undefined;
}

class OwnHold implements HeldDestination {
  private lost = false;
  private renewing: Promise<void> | undefined;
  private readonly stopRenewing: () => void;

  constructor(
    private readonly tools: HoldTools,
    private taken: TakenHold,
    readonly before: HeldDestination["before"],
  ) {
    const { leaseSeconds } = tools;
    // A run that only reads or waits for an edge must keep its hold too.
    this.stopRenewing = tools.clock.every((leaseSeconds * 1000) / 3, () => {
      this.renew().catch(() => undefined);
    });
  }

  get hasConditions(): boolean {
    return this.taken.hold.conditions === true;
  }

  async assertOurs(): Promise<void> {
    const { clock, leaseSeconds } = this.tools;
    if (!this.lost && isRenewalDue(this.taken.renewed, readClocks(clock), leaseSeconds)) {
      if (isSurelyOurs(this.taken.renewed, readClocks(clock), leaseSeconds))
        void this.renew().catch(() => undefined);
      else await this.renew();
    }
    if (this.lost || !isSurelyOurs(this.taken.renewed, readClocks(clock), leaseSeconds))
      throw new OperatorError("hold-lost");
  }

  async letGo(): Promise<void> {
    this.stopRenewing();
    await this.renewing?.catch(() => undefined);
    if (this.lost) return;
    const { hold, etag } = this.taken;
    try {
      await putHold(
        this.tools.store,
        { ...hold, isReleased: true, renewal: hold.renewal + 1 },
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
    const hold = { ...this.taken.hold, renewal: this.taken.hold.renewal + 1 };
    const renewed = readClocks(clock);
    try {
      if (!this.hasConditions && (await lookAtHold(store))?.hold?.run !== run) {
        this.lost = true;
        return;
      }
      const condition = this.hasConditions ? { ifEtag: this.taken.etag } : undefined;
      const { etag } = await putHold(store, hold, condition);
      this.taken = { hold, etag, renewed };
    } catch (error) {
      if (!(error instanceof StoreError) || error.kind !== "precondition") throw error;
      const standing = await lookAtHold(store);
      if (standing?.hold?.run === run && !standing.hold.isReleased)
        this.taken = { hold: standing.hold, etag: standing.etag, renewed };
      else this.lost = true;
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

function toHeld(hold: Hold | undefined): OperatorError {
  return new OperatorError("held", { who: describe(hold), lease: hold?.leaseSeconds ?? 30 });
}

const describe = (hold: Hold | undefined): string =>
  hold
    ? `${hold.work} by ${hold.by} on ${hold.host}, process ${hold.process}, since ${hold.at.slice(0, 19).replace("T", " ")} UTC`
    : "a run whose hold can't be read";

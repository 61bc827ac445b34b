import * as z from "zod";
import type { Hold } from "../model/hold.ts";

const HOLD_FORMAT = "restless-courier/hold/1";
/** Seconds; the settings allow no more. */
const MOST_LEASE = 3600;
const schema = z.object({
  format: z.literal(HOLD_FORMAT),
  run: z.string(),
  work: z.string(),
  by: z.string(),
  host: z.string(),
  process: z.int(),
  processStart: z.string(),
  at: z.string(),
  leaseSeconds: z.number().min(1).max(MOST_LEASE),
  renewal: z.int(),
  conditions: z.boolean().optional(),
  isReleased: z.boolean(),
});

/** The hold as it stands in the store: one JSON object with the name of its format. */
export const toHoldText = (hold: Hold): string => JSON.stringify({ format: HOLD_FORMAT, ...hold });

/** Undefined where it is damaged or of another version: then only its age speaks for it. */
export function parseHold(text: string): Hold | undefined {
  try {
    const { format: _, ...hold } = schema.parse(JSON.parse(text));
    return hold;
  } catch {
    return undefined;
  }
}

/** What a run that wants the hold has seen of the one that stands. */
export interface HoldSighting {
  /** Undefined: it can't be read. */
  readonly hold: Hold | undefined;
  /** How long its ETag has been seen unchanged, by this machine's monotonic clock. */
  readonly watchedMs: number;
  /** How long ago it was written, by the store's own clock; undefined: the store does not say. */
  readonly ageMs: number | undefined;
  /** Whether its process lives; undefined: nobody can say, as of one on another host. */
  readonly isAlive: boolean | undefined;
}

/** A lease for holds that can't be read. */
const DEFAULT_LEASE_SECONDS = 30;
/** What stores' times of writing are rounded to, at worst. */
const STORE_TIME_STEP_MS = 1000;

/**
 * Whether a hold may be taken over: it was let go, its process is dead, or nobody has renewed it for a whole lease. That is
 * never read off this machine's clock: either it was watched for so long, or the store's own times say so.
 */
export function mayTakeOver({ hold, watchedMs, ageMs, isAlive }: HoldSighting): boolean {
  if (hold?.isReleased === true || isAlive === false) return true;
  const leaseMs = (hold?.leaseSeconds ?? DEFAULT_LEASE_SECONDS) * 1000;
  return watchedMs >= leaseMs || (ageMs !== undefined && ageMs >= leaseMs + STORE_TIME_STEP_MS);
}

/** Two clocks of one machine at one moment: a monotonic one, which a sleeping laptop may stop, and that of the wall. */
export interface ClockReading {
  readonly monotonicMs: number;
  readonly wallMs: number;
}

/** A hold is surely ours for half a lease after a renewal was begun; by both clocks, since either may have stood still. */
export function isSurelyOurs(renewed: ClockReading, now: ClockReading, leaseSeconds: number): boolean {
  return elapsedMs(renewed, now) < (leaseSeconds * 1000) / 2;
}

/** A third of the lease after the last renewal the next one is due. */
export const isRenewalDue = (renewed: ClockReading, now: ClockReading, leaseSeconds: number): boolean =>
  elapsedMs(renewed, now) >= (leaseSeconds * 1000) / 3;

const elapsedMs = (from: ClockReading, to: ClockReading): number =>
  Math.max(to.monotonicMs - from.monotonicMs, Math.abs(to.wallMs - from.wallMs));

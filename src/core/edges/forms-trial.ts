import type { ClearingWay, KnownWay } from "../model/edge.ts";

/** What came of one way of clearing, on an object that was held in many forms. */
export interface WayTrial {
  readonly way: ClearingWay;
  /** How many forms it was held in. */
  readonly held: number;
  /** Those in which the old content still answered. */
  readonly left: readonly string[];
}

/** A form that no list has: whether it is cleared tells of all those that nobody has listed. */
export const toUnlistedForm = (run: string): string =>
  `gzip;q=0.${run.replace(/\D/g, "").slice(-3) || "7"}, x-${run.slice(-6)}`;

/**
 * The way to choose after trying: the first that clears everything, else the first that clears every listed form, else the
 * most thorough; with nothing tried, the plain purge.
 * @param trials in the order in which they were made, cheapest first
 */
export function chooseWay(trials: readonly WayTrial[], unlisted: string, at: string): KnownWay {
  const whole = trials.find(({ left }) => left.length === 0);
  const listed = trials.find(({ left }) => left.every((form) => form === unlisted));
  const chosen = whole ?? listed ?? trials.at(-1);
  const clears = whole ? "all" : trials.some(({ held, left }) => left.length < held) ? "some" : "none";
  return { way: chosen?.way ?? "once", clears, at };
}

/** Caches are set up anew from time to time: what was found out about one is believed for so long. */
const BELIEVED_MS = 30 * 86_400_000;

/** Whether what was found out before is enough, or is to be tried once more. */
export const isBelieved = (known: KnownWay | undefined, hasAllForms: boolean, nowMs: number): boolean =>
  known !== undefined &&
  (known.clears === "all" || (known.clears === "some" && hasAllForms)) &&
  known.takesWildcards !== false &&
  nowMs - Date.parse(known.at) < BELIEVED_MS;

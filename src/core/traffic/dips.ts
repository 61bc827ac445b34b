import type { ReleaseTime } from "./site-index.ts";
import type { SpanCount } from "./tally.ts";
import type { Dip } from "./traffic.ts";

/** Requests below which a rate says nothing. */
const LEAST_REQUESTS = 30;
/** So far below what it was before, a rate counts as back where it had been. */
const NEARLY = 0.02;
const HOUR_MS = 3_600_000;
/** How long before a delivery counts, and how long after it at most. */
const [BEFORE_MS, AFTER_MS] = [HOUR_MS, 24 * HOUR_MS];

interface TimedSpan {
  readonly atMs: number;
  readonly value: SpanCount;
}

/** What each delivery within the time of a log did to the rate of hits, and how long it took to come back. */
export function findDips(spans: readonly TimedSpan[], spanMs: number, times: readonly ReleaseTime[]): Dip[] {
  const [first, last] = [spans[0], spans.at(-1)];
  if (!first || !last) return [];
  const within = times.filter(({ atMs }) => atMs > first.atMs && atMs < last.atMs + spanMs);
  return within.map(({ release, atMs }, at) => {
    const earlierMs = Math.max(atMs - BEFORE_MS, within[at - 1]?.atMs ?? -Infinity);
    const laterMs = Math.min(atMs + AFTER_MS, within[at + 1]?.atMs ?? Infinity);
    // The span in which it was made belongs to neither side.
    const before = rateOf(spans.filter((span) => span.atMs >= earlierMs && span.atMs + spanMs <= atMs));
    const after = spans.filter((span) => span.atMs + spanMs > atMs && span.atMs < laterMs);
    return { release, at: new Date(atMs).toISOString(), ...follow(after, { atMs, before }) };
  });
}

function follow(
  spans: readonly TimedSpan[],
  { atMs, before }: { readonly atMs: number; readonly before: number | undefined },
): Omit<Dip, "release" | "at"> {
  if (before === undefined) return { extraMisses: 0 };
  let [lowest, extra, group]: [number | undefined, number, TimedSpan[]] = [undefined, 0, []];
  for (const span of spans) {
    group.push(span);
    const rate = rateOf(group);
    if (rate === undefined) continue;
    lowest = Math.min(lowest ?? 1, rate);
    if (rate >= before - NEARLY) {
      const sinceMs = group[0] === spans[0] ? 0 : (group[0]?.atMs ?? atMs) - atMs;
      return {
        before,
        lowest,
        recoveredSeconds: Math.max(sinceMs, 0) / 1000,
        extraMisses: Math.round(extra),
      };
    }
    extra += (before - rate) * classified(group);
    group = [];
  }
  return { before, lowest, extraMisses: Math.round(extra) };
}

const classified = (spans: readonly TimedSpan[]): number =>
  spans.reduce((sum, { value }) => sum + value.hits + value.misses, 0);

/** Hits of all that are hits or misses; undefined: too few to tell. */
function rateOf(spans: readonly TimedSpan[]): number | undefined {
  const all = classified(spans);
  return all < LEAST_REQUESTS ? undefined : spans.reduce((sum, { value }) => sum + value.hits, 0) / all;
}

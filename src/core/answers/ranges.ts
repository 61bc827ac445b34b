import { combineRanges, parse, type Range } from "range-parser";

/** What `Range` asks for: the whole, these parts (both ends included), or nothing that there is. */
export type RangeOutcome =
  | { readonly send: "whole" }
  | { readonly send: "parts"; readonly ranges: readonly Range[] }
  | { readonly send: "nothing" };

/** More of them are no reading, but a way to make a server work (RFC 9110 §14.2). */
const MOST_RANGES = 10;

/**
 * The parts of an answer that are asked for (RFC 9110 §14.2). What can't be read, or would come to more than the whole, is
 * answered with the whole.
 * @param size bytes of the whole
 */
export function decideRanges(range: string | undefined, size: number): RangeOutcome {
  if (range === undefined || size === 0) return { send: "whole" };
  const { code, type, ranges } = parse(size, range);
  if (type !== "bytes" || (code & INVALID) !== 0) return { send: "whole" };
  if (ranges.length === 0) return { send: "nothing" };
  const combined = combineRanges(ranges).map(({ start, end }) => ({ start, end }));
  return combined.length > MOST_RANGES ? { send: "whole" } : { send: "parts", ranges: combined };
}

/** The parser's sign for what is no range. */
const INVALID = 1;

import type { EdgeRules } from "../model/edge-rules.ts";

/** Whether two sets of rules have an edge do the same, in whatever order they were written down. */
export const isSameRules = (a: EdgeRules | undefined, b: EdgeRules | undefined): boolean =>
  JSON.stringify(sorted(a)) === JSON.stringify(sorted(b));

/** Lists keep their order: of redirects the first counts. */
function sorted(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(sorted);
  if (value === null || typeof value !== "object") return value;
  return Object.fromEntries(
    Object.entries(value)
      .filter(([, held]) => held !== undefined)
      .sort(([a], [b]) => (a < b ? -1 : 1))
      .map(([name, held]) => [name, sorted(held)]),
  );
}

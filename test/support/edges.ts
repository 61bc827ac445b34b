import type { EdgeAbilities } from "../../src/core/model/edge.ts";
import type { EdgeInvalidation } from "../../src/core/model/plan.ts";

/** An edge that takes exact addresses only, any number of them. */
export const EXACT_EDGE: EdgeAbilities = {
  wildcard: "none",
  reachesQuery: false,
  query: "ignored",
  mostPatterns: Infinity,
  mostWildcards: 0,
  worth: 0,
};

const NOTHING = { addresses: 0, bytes: 0 };

/** What an edge is asked for when each address is named. */
export const toExactInvalidation = (edge: string, addresses: readonly string[]): EdgeInvalidation => ({
  ...{ edge, addresses, patterns: addresses },
  ...{ collateral: NOTHING, gap: 0, everything: NOTHING },
});

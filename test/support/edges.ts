import type { EdgeAbilities } from "../../src/core/model/edge.ts";
import type { ConfirmationRule } from "../../src/core/model/edge.ts";
import type { Edge } from "../../src/ports/edge.ts";
import type { EdgeInvalidation } from "../../src/core/model/plan.ts";

/** An edge that takes exact addresses only, any number of them. */
export const EXACT_EDGE: EdgeAbilities = {
  wildcard: "none",
  reachesQuery: false,
  query: "ignored",
  mostPatterns: Infinity,
  mostWildcards: 0,
  worth: 0,
  exactUpTo: 0,
};

const NOTHING = { addresses: 0, bytes: 0 };

/** What an edge is asked for when each address is named. */
export const toExactInvalidation = (edge: string, addresses: readonly string[]): EdgeInvalidation => ({
  ...{ edge, identity: edge, addresses, patterns: addresses },
  ...{ collateral: NOTHING, gap: 0, everything: NOTHING },
});

/** Confirms at once, on the edge's word alone. */
export const BELIEVED: ConfirmationRule = {
  settle: 0,
  longestFetch: 0,
  readBack: { kind: "off" },
  rewrites: false,
};

/** An edge of a test, which asks nobody unless it is told how. */
export const toEdge = (edge: Partial<Edge> & Pick<Edge, "name">): Edge => ({
  ...{ identity: edge.name, abilities: EXACT_EDGE, confirmation: BELIEVED },
  ...{ places: [], hasStatus: false, forms: [""], hasAllForms: true },
  forget: () => Promise.resolve(),
  look: () => Promise.resolve(undefined),
  close: () => undefined,
  ...edge,
});

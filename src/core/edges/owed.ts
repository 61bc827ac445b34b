import { byText, type UrlPath } from "../model/names.ts";
import type { EdgeNeeds } from "../model/edge.ts";
import type { EdgeInvalidation } from "../model/plan.ts";
import type { DestinationState, OpenDelivery, OwedInvalidation } from "../model/release.ts";

/** Runs that died before they had recorded a release: what they owe stands nowhere but in their own records. */
export function selectUnrecorded({ open = [], pointer }: DestinationState): OpenDelivery[] {
  const recorded = new Set([pointer?.run, ...(pointer?.retained ?? []).map(({ run }) => run)]);
  return open.filter(({ run }) => !recorded.has(run));
}

/** What edges may still hold wrongly from before: what the pointer says, and what runs that died had written down. */
export const listOwed = (state: DestinationState): OwedInvalidation[] =>
  mergeOwed([...(state.pointer?.owed ?? []), ...selectUnrecorded(state).flatMap(({ owed }) => owed)]);

/** Whether a debt is this edge's: it is written down under what the edge is; versions before 0.2 took its name. */
export const isDebtOf = (
  { edge }: Pick<OwedInvalidation, "edge">,
  { identity, name }: Pick<EdgeNeeds, "identity" | "name">,
): boolean => edge === identity || edge === name;

/** What is owed by edges that the settings don't know any more: nobody can ask them. */
export const selectOrphans = (
  owed: readonly OwedInvalidation[],
  edges: readonly Pick<EdgeNeeds, "identity" | "name">[],
): OwedInvalidation[] => owed.filter((entry) => !edges.some((edge) => isDebtOf(entry, edge)));

/** What edges are about to be asked for, and what those owe that are no longer in the settings: not forgotten in silence. */
export function toOwed(asked: readonly EdgeInvalidation[], state: DestinationState): OwedInvalidation[] {
  const edges = asked.map(({ edge, identity }) => ({ name: edge, identity }));
  return mergeOwed([
    ...asked.map(({ identity, addresses }) => ({ edge: identity, addresses })),
    ...selectOrphans(listOwed(state), edges),
  ]);
}

/** What an edge was asked for and has not confirmed. */
export interface Unconfirmed {
  readonly edge: string;
  readonly identity: string;
  readonly left: ReadonlySet<UrlPath>;
}

/** What stays owed once edges were asked: of those that were, just what they have not confirmed. */
export function strikeConfirmed(
  owed: readonly OwedInvalidation[],
  asked: readonly Unconfirmed[],
): OwedInvalidation[] {
  const stays = owed.map((entry) => {
    const own = asked.find(({ edge, identity }) => isDebtOf(entry, { name: edge, identity }));
    if (!own) return entry;
    return { edge: own.identity, addresses: entry.addresses.filter((address) => own.left.has(address)) };
  });
  return mergeOwed(stays.filter(({ addresses }) => addresses.length > 0));
}

/** One entry per edge, each address once. */
function mergeOwed(entries: readonly OwedInvalidation[]): OwedInvalidation[] {
  const byEdge = new Map<string, Set<string>>();
  for (const { edge, addresses } of entries)
    byEdge.set(edge, new Set([...(byEdge.get(edge) ?? []), ...addresses]));
  return [...byEdge].map(([edge, addresses]) => ({ edge, addresses: [...addresses].sort(byText) }));
}

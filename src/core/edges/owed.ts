import { byText } from "../model/names.ts";
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

/** What edges are about to be asked for, and what those owe that are no longer in the settings: not forgotten in silence. */
export function toOwed(asked: readonly EdgeInvalidation[], state: DestinationState): OwedInvalidation[] {
  const edges = new Set(asked.map(({ edge }) => edge));
  return mergeOwed([...asked, ...listOwed(state).filter(({ edge }) => !edges.has(edge))]);
}

/** One entry per edge, each address once. */
function mergeOwed(entries: readonly OwedInvalidation[]): OwedInvalidation[] {
  const byEdge = new Map<string, Set<string>>();
  for (const { edge, addresses } of entries)
    byEdge.set(edge, new Set([...(byEdge.get(edge) ?? []), ...addresses]));
  return [...byEdge].map(([edge, addresses]) => ({ edge, addresses: [...addresses].sort(byText) }));
}

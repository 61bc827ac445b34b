import type { InvalidateResult } from "../../results/history.ts";
import type { DeliveryResult } from "../../results/delivery.ts";
import { clean, type Terminal } from "../frame/terminal.ts";
import { counted, showBytes } from "../frame/numbers.ts";

type Invalidation = DeliveryResult["invalidation"];

/** Patterns that are named; the rest is counted. */
const MOST_PATTERNS = 6;

/** What edges were asked to forget, or would be: how much, by which patterns, what goes along, and what `/*` would take. */
export function showInvalidation(
  invalidation: Invalidation,
  isPlanned: boolean,
  { style }: Terminal,
): string {
  const { addresses, patterns, edges, hints } = invalidation;
  if (edges.length === 0) return "";
  const what = counted(addresses.length, "address", "addresses");
  // New assets, pages and workers are asked for in rounds of their own.
  const asOnce = edges.length === 1 && (edges[0]?.patterns ?? 0) > patterns.length;
  const rounds = asOnce ? ", some in more than one round" : "";
  const asked = edges.map(({ edge, patterns: count, confirmed }) => {
    const state = isPlanned
      ? ""
      : confirmed
        ? `: ${style("good", "confirmed")}`
        : `: ${style("bad", "not confirmed, still owed")}`;
    return `  edge ${edge} ${isPlanned ? "would be" : "was"} asked to forget ${what} by ${counted(count, "pattern")}${rounds}${state}\n`;
  });
  const shown = patterns.slice(0, MOST_PATTERNS).map(clean).join("  ");
  const rest = patterns.length > MOST_PATTERNS ? `  and ${patterns.length - MOST_PATTERNS} more` : "";
  return [
    "\n",
    ...asked,
    `    ${shown}${rest}\n`,
    `    ${style("faint", showCollateral(invalidation))}\n`,
    ...hints.map((hint) => `    ${style("faint", clean(hint))}\n`),
  ].join("");
}

/** `invalidate`, as a person reads it. */
export function showInvalidateResult(
  { site, destination, dryRun, invalidation }: InvalidateResult,
  terminal: Terminal,
): string {
  const heading = terminal.style("strong", `${clean(site)}, ${destination}`);
  if (invalidation.edges.length === 0) return `${heading}: nothing to forget, no edge owes anything\n`;
  const what = dryRun
    ? "nothing was asked for yet"
    : invalidation.confirmed
      ? "forgotten"
      : "not all is forgotten";
  return `${heading}: ${what}\n${showInvalidation(invalidation, dryRun, terminal)}`;
}

/** What goes along, against naming everything one by one and against `/*`. */
function showCollateral({ addresses, patterns, collateral, everything }: Invalidation): string {
  const lost = ({ addresses: count, bytes }: typeof collateral): string =>
    count === 0
      ? "no right copy is lost"
      : `${counted(count, "right copy is", "right copies are")} lost along with them (${showBytes(bytes)})`;
  const ways = [lost(collateral)];
  if (collateral.addresses > 0 && addresses.length > patterns.length)
    ways.push(`one by one it would be ${addresses.length} patterns and none`);
  if (everything.addresses > collateral.addresses)
    ways.push(`by /* alone ${everything.addresses} (${showBytes(everything.bytes)})`);
  return ways.join("; ");
}

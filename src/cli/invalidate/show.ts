import { counted } from "../../words/text.ts";
import type { InvalidateResult } from "../../results/history.ts";
import type { DeliveryResult } from "../../results/delivery.ts";
import { clean, type Terminal } from "../frame/terminal.ts";
import { showBytes } from "../../words/numbers.ts";

type Invalidation = DeliveryResult["invalidation"];

/** Patterns that are named; the rest is counted. */
const MOST_PATTERNS = 6;

/** What edges were asked to forget, or would be: how much, by which patterns, what goes along, and what `/*` would take. */
export function showInvalidation(
  invalidation: Invalidation,
  isPlanned: boolean,
  { style }: Terminal,
): string {
  const { patterns, edges, hints } = invalidation;
  if (edges.length === 0) return "";
  const asked = edges.map((edge) => {
    const what = counted(edge.addresses, "address", "addresses");
    const verb = isPlanned ? "would be" : "was";
    const state = isPlanned ? "" : `: ${showState(edge, invalidation.owed.length > 0, style)}`;
    return `  edge ${edge.edge} ${verb} asked to forget ${what} by ${counted(edge.patterns, "pattern")}${state}\n`;
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

/** What an edge has confirmed, and how far that was looked at. */
function showState(
  { addresses, confirmed, read }: Invalidation["edges"][number],
  isOwed: boolean,
  style: Terminal["style"],
): string {
  if (!confirmed)
    return isOwed
      ? style("bad", "not confirmed, still owed")
      : `${style("warn", "asked for")}, not read back`;
  const forms = `in ${counted(read.forms, "form")}`;
  const much =
    read.addresses >= addresses
      ? `all read back ${forms}`
      : `${counted(read.addresses, "address", "addresses")} of them read back ${forms}`;
  return `${style("good", "confirmed")}, ${much}`;
}

/** `invalidate`, as a person reads it. */
export function showInvalidateResult(
  { site, destination, dryRun, invalidation }: InvalidateResult,
  terminal: Terminal,
): string {
  const { style } = terminal;
  const heading = style("strong", `${clean(site)}, ${destination}`);
  if (invalidation.edges.length === 0)
    return invalidation.owed.length > 0
      ? `${heading}: ${style("bad", "nobody can be asked")} for ${counted(invalidation.owed.length, "address", "addresses")} that an edge owes which is no longer in the settings\n`
      : `${heading}: nothing to forget, no edge owes anything\n`;
  const what = dryRun
    ? "nothing was asked for yet"
    : invalidation.confirmed
      ? "forgotten"
      : invalidation.owed.length > 0
        ? "not all is confirmed"
        : "asked for, not read back";
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

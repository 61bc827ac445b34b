import { counted, grouped } from "../../words/text.ts";
import type { InvalidateResult } from "../../results/history.ts";
import type { DeliveryResult } from "../../results/delivery.ts";
import { toHead, toNext, toRows, toText, type Row, type Sheet } from "../frame/sheet.ts";
import { clean, type Mark } from "../frame/terminal.ts";
import { showBytes } from "../../words/numbers.ts";

type Invalidation = DeliveryResult["invalidation"];
type OfEdge = Invalidation["edges"][number];

/** Patterns that are named; the rest is counted. */
const MOST_PATTERNS = 6;

/** What edges were asked to forget, or would be: how much, by which patterns, what goes along, and what `/*` would take. */
export function showInvalidation(invalidation: Invalidation, isPlanned: boolean, sheet: Sheet): string {
  const { patterns, edges, hints } = invalidation;
  if (edges.length === 0) return "";
  const shown = patterns.slice(0, MOST_PATTERNS).map(clean).join("  ");
  const rest =
    patterns.length > MOST_PATTERNS ? `  and ${grouped(patterns.length - MOST_PATTERNS)} more` : "";
  return [
    "\n",
    toRows(
      sheet,
      edges.map((edge) => toEdgeRow(edge, invalidation, isPlanned)),
    ),
    toText(sheet, shown + rest),
    ...(isPlanned ? [] : edges.map((edge) => toText(sheet, showRead(edge), "faint"))),
    toText(sheet, showCollateral(invalidation, isPlanned), "faint"),
    ...hints.map((hint) => toText(sheet, clean(hint), "faint")),
  ].join("");
}

function toEdgeRow(
  { edge, addresses, patterns, confirmed }: OfEdge,
  { edges, owed }: Invalidation,
  isPlanned: boolean,
): Row {
  const who = edges.length > 1 ? `the edge "${clean(edge)}"` : "the edge";
  const noun = addresses === 1 ? "address" : "addresses";
  const asked = `with ${counted(patterns, "pattern")}`;
  const [words, mark]: readonly [string, Mark?] = isPlanned
    ? [`for ${who} to forget, ${asked}`]
    : confirmed
      ? [`forgotten by ${who}, ${asked}`]
      : owed.length > 0
        ? [`that ${who} has not confirmed yet; it was asked ${asked}`, "warn"]
        : [`that ${who} was asked to forget, ${asked}`];
  return { count: addresses, what: `${noun} ${words}`, mark };
}

/** How far an edge's word was checked. */
function showRead({ edge, addresses, confirmed, read }: OfEdge): string {
  if (!confirmed && read.addresses === 0) return "";
  if (read.addresses === 0) return `What "${clean(edge)}" confirmed was not read back.`;
  const forms = read.forms > 1 ? `, each in ${read.forms} forms (compressed and not)` : "";
  return read.addresses >= addresses
    ? `Read back since then: all of them${forms}.`
    : `Read back since then: ${grouped(read.addresses)} of them${forms}.`;
}

/** What goes along, against naming everything one by one and against `/*`. */
function showCollateral(
  { addresses, patterns, collateral, everything, owed }: Invalidation,
  isPlanned: boolean,
): string {
  const isAll = patterns.length === 1 && patterns[0] === "/*";
  // What no edge has confirmed may not have happened yet.
  const [verb, isDropped] = isPlanned
    ? ["would also drop", "would be dropped"]
    : owed.length > 0
      ? ["also drop", "is dropped"]
      : ["also dropped", "was dropped"];
  const along =
    collateral.addresses === 0
      ? `No copy that is still correct ${isDropped}.`
      : `The patterns ${verb} ${copies(collateral)} still correct (${showBytes(collateral.bytes)}).`;
  const single =
    collateral.addresses > 0 && addresses.length > patterns.length
      ? ` To name each address takes ${counted(addresses.length, "pattern")} and drops none.`
      : "";
  const whole =
    !isAll && everything.addresses > collateral.addresses
      ? ` /* alone would drop ${grouped(everything.addresses)} (${showBytes(everything.bytes)}).`
      : "";
  return along + single + whole;
}

const copies = ({ addresses }: Invalidation["collateral"]): string =>
  addresses === 1 ? "1 copy that was" : `${grouped(addresses)} copies that were`;

/** `invalidate`, as a person reads it. @param again the call that asks once more */
export function showInvalidateResult(result: InvalidateResult, sheet: Sheet, again: string): string {
  const { site, destination, dryRun, invalidation } = result;
  const [words, mark] = standingOf(result);
  const isToAsk = !dryRun && invalidation.owed.length > 0 && invalidation.edges.length > 0;
  return [
    toHead(sheet, [site, destination], words, mark),
    showInvalidation(invalidation, dryRun, sheet),
    isToAsk ? toNext(sheet, again, "asks the edge again") : "",
  ].join("");
}

function standingOf({ dryRun, invalidation }: InvalidateResult): readonly [words: string, mark?: Mark] {
  const { edges, owed, confirmed } = invalidation;
  if (edges.length === 0)
    return owed.length > 0
      ? [
          `nobody can be asked: ${counted(owed.length, "address", "addresses")} are owed by an edge that is no longer in the settings.`,
          "bad",
        ]
      : ["nothing to do: the edges have confirmed everything."];
  if (dryRun) return ["this is what would be asked for. Nothing was asked for yet."];
  if (confirmed) return ["the edge has forgotten it, and has confirmed."];
  return owed.length > 0
    ? ["the edge has NOT confirmed yet: visitors may get old copies.", "warn"]
    : ["the edge was asked to forget it; its word was not checked."];
}

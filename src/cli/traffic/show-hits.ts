import type { TrafficResult } from "../../results/traffic.ts";
import { showBytes } from "../../words/numbers.ts";
import { counted, grouped } from "../../words/text.ts";
import { GROUP_NAMES, NO_HEADER, showDip, showMinute } from "../../words/traffic.ts";
import { toNoted } from "../frame/facts.ts";
import { toText, toTitle, type Sheet } from "../frame/sheet.ts";

/** What each delivery did to the hit rate. */
export function showDeliveries({ deliveries, all }: TrafficResult, sheet: Sheet): string {
  if (deliveries.length === 0 || all.hitRate === undefined) return "";
  const lines = deliveries.map((dip) => ({
    text: `release ${dip.release}, ${showMinute(dip.at)} UTC`,
    note: showDip(dip),
  }));
  return toTitle(sheet, "deliveries") + toNoted(sheet, lines, 3);
}

/** Files that no cache answers, and the header that forbids it. */
export function showNeverHit({ neverHit }: TrafficResult, sheet: Sheet): string {
  if (neverHit.length === 0) return "";
  const lines = neverHit.map(({ group, header, addresses, example, requests, bytes, withQuery }) => {
    const query = withQuery === 0 ? "" : `, ${grouped(withQuery)} of them with a query`;
    const more = addresses > 1 ? ` and ${grouped(addresses - 1)} more` : "";
    const what = `${GROUP_NAMES[group]}: ${counted(requests, "request")}${query}, ${showBytes(bytes)}: ${example}${more}`;
    return toText(sheet, what, undefined, 3) + toText(sheet, header ?? NO_HEADER, "faint");
  });
  return toTitle(sheet, "never a hit") + lines.join("");
}

import type { TrafficResult } from "../../results/traffic.ts";
import { showBytes } from "../../words/numbers.ts";
import { counted } from "../../words/text.ts";
import { GROUP_NAMES, NO_HEADER, showDip } from "../../words/traffic.ts";
import { clean, type Terminal } from "../frame/terminal.ts";

/** What each delivery did to the hit rate. */
export function showDeliveries({ deliveries, all }: TrafficResult, { style }: Terminal): string {
  if (deliveries.length === 0 || all.hitRate === undefined) return "";
  const lines = deliveries.map(
    (dip) => `  release ${dip.release}, ${dip.at.slice(0, 16).replace("T", " ")} UTC: ${showDip(dip)}\n`,
  );
  return `${style("strong", "deliveries")}\n${lines.join("")}`;
}

/** Files that no cache answers, and the header that forbids it. */
export function showNeverHit({ neverHit }: TrafficResult, { style }: Terminal): string {
  if (neverHit.length === 0) return "";
  const lines = neverHit.map(({ group, header, addresses, example, requests, bytes, withQuery }) => {
    const why = header === undefined ? NO_HEADER : clean(header);
    const query = withQuery === 0 ? "" : `, ${counted(withQuery, "of them", "of them")} with a query`;
    const more = addresses > 1 ? ` and ${addresses - 1} more` : "";
    return `  ${GROUP_NAMES[group]}: ${counted(requests, "request")}${query}, ${showBytes(bytes)}: ${clean(example)}${more}\n    ${style("faint", why)}\n`;
  });
  return `${style("strong", "never a hit")}\n${lines.join("")}`;
}

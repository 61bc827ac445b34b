import type { Element } from "hast";
import type { TrafficResult } from "../../results/traffic.ts";
import { showBytes } from "../../words/numbers.ts";
import { grouped } from "../../words/text.ts";
import { GROUP_NAMES, NO_HEADER, showDip } from "../../words/traffic.ts";
import { drawGrid, drawNumber, drawScroll, drawSection } from "../grid.ts";
import { h } from "../html.ts";
import { toTime } from "../sections/head.ts";

/** What each delivery did to the hit rate. */
export function drawDeliveries({ deliveries, all }: TrafficResult): Element | undefined {
  if (deliveries.length === 0 || all.hitRate === undefined) return undefined;
  const rows = deliveries.map((dip) =>
    h(
      "tr",
      {},
      h("th", { scope: "row" }, `release ${dip.release}`),
      h("td", {}, toTime(dip.at)),
      h("td", {}, showDip(dip)),
    ),
  );
  const columns = ["Delivery", "When", "Hits"].map((name) => ({ name }));
  return drawSection(
    "deliveries",
    "What deliveries did",
    drawScroll({ by: "deliveries-title" }, drawGrid({ columns, rows })),
  );
}

/** Files that no cache answers, and the header that forbids it. */
export function drawNeverHit({ neverHit }: TrafficResult): Element | undefined {
  if (neverHit.length === 0) return undefined;
  const rows = neverHit.map(({ group, header, addresses, example, requests, bytes, withQuery }) =>
    h(
      "tr",
      {},
      h("th", { scope: "row" }, GROUP_NAMES[group]),
      drawNumber(grouped(requests)),
      drawNumber(grouped(withQuery)),
      drawNumber(showBytes(bytes)),
      h("td", {}, header === undefined ? NO_HEADER : h("code", {}, header)),
      h("td", {}, h("code", {}, example), addresses > 1 ? ` and ${addresses - 1} more` : ""),
    ),
  );
  const columns = [
    { name: "Role" },
    ...["Requests", "With a query", "Sent"].map((name) => ({ name, isNumber: true })),
    ...["Why", "For example"].map((name) => ({ name })),
  ];
  return drawSection(
    "never-hit",
    "Never a hit",
    drawScroll({ by: "never-hit-title" }, drawGrid({ columns, rows })),
  );
}

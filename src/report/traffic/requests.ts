import type { Element } from "hast";
import { scaleLinear } from "d3-scale";
import type { AddressSums, Sums } from "../../core/traffic/traffic.ts";
import type { TrafficResult } from "../../results/traffic.ts";
import { showBytes, showShortly } from "../../words/numbers.ts";
import { grouped } from "../../words/text.ts";
import { GROUP_NAMES, showShare } from "../../words/traffic.ts";
import { drawBars, drawGrid, drawNumber, drawScroll, drawSection } from "../grid.ts";
import { h } from "../html.ts";

const WIDTH = 240;

const COLUMNS = ["Requests", "Sent", "Hits", "To the origin"].map((name) => ({ name, isNumber: true }));

const drawSums = ({ requests, bytes, hitRate, cache }: Sums): Element[] => [
  drawNumber(grouped(requests)),
  drawNumber(showBytes(bytes)),
  drawNumber(showShare(hitRate)),
  drawNumber(cache.miss === 0 ? "" : grouped(cache.miss)),
];

/** Requests by role: how many, how heavy, and how many of them were hits. */
export function drawGroups({ groups }: TrafficResult): Element | undefined {
  if (groups.length === 0) return undefined;
  const most = Math.max(...groups.map(({ requests }) => requests));
  const columns = [{ name: "Role" }, ...COLUMNS, { name: "Hits and misses, drawn", isDrawn: true }];
  const rows = groups.map(({ group, ...sums }) => {
    const scale = scaleLinear([0, most], [0, WIDTH]);
    const hits = sums.cache.hit + sums.cache.refreshed;
    const bars = [
      { className: ["span", "rest"], width: scale(sums.requests), height: 14 },
      { className: ["span", "misses"], width: scale(hits + sums.cache.miss), height: 14 },
      { className: ["span", "hits"], width: scale(hits), height: 14 },
    ];
    return h(
      "tr",
      {},
      h("th", { scope: "row" }, GROUP_NAMES[group]),
      ...drawSums(sums),
      h("td", { className: ["drawn"] }, drawBars(WIDTH, 14, bars)),
    );
  });
  return drawSection("roles", "By role", drawScroll({ by: "roles-title" }, drawGrid({ columns, rows })));
}

/** Some addresses, each with what was asked of it. */
export function drawAddresses(
  id: string,
  title: string,
  addresses: readonly AddressSums[],
): Element | undefined {
  if (addresses.length === 0) return undefined;
  const isTimed = addresses.some(({ seconds }) => seconds !== undefined);
  const times = isTimed ? ["Mean time", "Longest"].map((name) => ({ name, isNumber: true })) : [];
  const rows = addresses.map((one) =>
    h(
      "tr",
      {},
      h("td", {}, h("code", {}, one.address)),
      h("td", {}, GROUP_NAMES[one.group]),
      ...drawSums(one),
      ...(isTimed ? [one.seconds?.mean, one.seconds?.most] : []).map((seconds) =>
        drawNumber(seconds === undefined ? "" : showShortly(seconds)),
      ),
    ),
  );
  const columns = [{ name: "Address" }, { name: "Role" }, ...COLUMNS, ...times];
  return drawSection(id, title, drawScroll({ by: `${id}-title` }, drawGrid({ columns, rows })));
}

/** Other sites that lead here. */
export function drawReferrers({ referrers }: TrafficResult): Element | undefined {
  if (referrers.length === 0) return undefined;
  const rows = referrers.map(({ host, requests }) =>
    h("tr", {}, h("td", {}, h("code", {}, host)), drawNumber(grouped(requests))),
  );
  const columns = [{ name: "Host" }, { name: "Requests", isNumber: true }];
  return drawSection(
    "referrers",
    "Where visitors come from",
    drawScroll({ by: "referrers-title" }, drawGrid({ columns, rows, className: "small" })),
  );
}

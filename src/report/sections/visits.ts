import type { Element } from "hast";
import { scaleLinear } from "d3-scale";
import type { PictureVisit, VisitLoad } from "../../core/picture/picture.ts";
import { LOAD_NAMES } from "../../words/picture.ts";
import { showBytes } from "../../words/numbers.ts";
import { counted } from "../../words/text.ts";
import { drawBars, drawGrid, drawNumber, drawScroll, drawSection } from "../grid.ts";
import { h } from "../html.ts";
import type { Report } from "../../results/report.ts";

const WIDTH = 1000;
const BAR = 18;

/** What a browser loads that has never been there, before and after, page by page. */
export function drawVisits({ visits }: Report): Element | undefined {
  if (visits.length === 0) return undefined;
  const most = Math.max(...visits.flatMap(({ wire, before }) => [wire, before?.wire ?? 0]), 1);
  return drawSection(
    "visits",
    "First visits",
    h("p", { className: ["about"] }, ABOUT),
    ...visits.map((visit, at) => drawVisit(visit, most, at === 0)),
  );
}

const ABOUT =
  "What a browser loads that has never been there, as sent with brotli: the page, its styles, its scripts and what they import, its pictures and fonts. What comes later is left out.";

function drawVisit({ page, wire, before, loads }: PictureVisit, most: number, isOpen: boolean): Element {
  const gone = (before?.loads ?? []).filter((load) => load.is === "gone");
  const was =
    before === undefined ? "" : before.wire === wire ? ", as before" : `, before ${showBytes(before.wire)}`;
  return h(
    "details",
    { open: isOpen },
    h("summary", {}, h("code", {}, page), ` ${showBytes(wire)} in ${counted(loads.length, "file")}${was}`),
    before && drawLoads("before", before, most),
    drawLoads(before ? "now" : "", { wire, loads }, most),
    drawScroll(
      { text: `What a first visit to ${page} loads` },
      drawGrid({
        className: "small",
        columns: [{ name: "File" }, { name: "As sent", isNumber: true }, { name: "Since before" }],
        rows: [...[...loads].sort((a, b) => b.wire - a.wire), ...gone].map(drawLoad),
      }),
    ),
  );
}

const drawLoad = ({ key, wire, is }: VisitLoad): Element =>
  h(
    "tr",
    { className: [is] },
    h("td", {}, h("code", {}, key)),
    drawNumber(showBytes(wire)),
    h("td", {}, LOAD_NAMES[is]),
  );

/** Files beside each other, the largest first; one part where nobody knows which they were. */
function drawLoads(
  name: string,
  { wire, loads }: Pick<PictureVisit, "wire" | "loads">,
  most: number,
): Element {
  const scale = scaleLinear([0, most], [0, WIDTH]);
  const known: readonly VisitLoad[] = loads.length > 0 ? loads : [{ key: "all", wire, is: "unknown" }];
  let x = 0;
  const bars = [...known]
    .sort((a, b) => b.wire - a.wire)
    .map(({ wire: own, is, key }) => {
      const bar = { x, width: Math.max(scale(own) - 1, 0.5), height: BAR };
      x += scale(own);
      return { ...bar, className: ["load", is], title: `${key}: ${showBytes(own)}` };
    });
  return h(
    "div",
    { className: ["bar"] },
    h("span", {}, name),
    drawBars(WIDTH, BAR, bars),
    h("span", { className: ["number"] }, showBytes(wire)),
  );
}

import type { Element } from "hast";
import { scaleLinear } from "d3-scale";
import type { PatternTake, PictureEdge } from "../../core/picture/picture.ts";
import { showBytes } from "../../words/numbers.ts";
import { counted, grouped } from "../../words/text.ts";
import { drawBars, drawGrid, drawNumber, drawScroll, drawSection } from "../grid.ts";
import { h } from "../html.ts";
import type { Report } from "../../results/report.ts";

const WIDTH = 220;
/** What is shown; the JSON result has all. */
const MOST_PATTERNS = 30;
const MOST_LINES = 500;

/** What edges are asked to forget, pattern by pattern, and what goes along. */
export function drawEdges({ edges, kind, isConfirmed }: Report): Element | undefined {
  if (!edges) return undefined;
  const asked = edges.filter(({ patterns }) => patterns.length > 0);
  return drawSection(
    "edges",
    "Invalidation",
    asked.length === 0 ? h("p", { className: ["about"] }, "No edge has to forget anything.") : undefined,
    kind === "delivered" && asked.length > 0 && isConfirmed !== undefined
      ? h("p", { className: ["about"] }, isConfirmed ? CONFIRMED : UNCONFIRMED)
      : undefined,
    ...asked.map(drawEdge),
  );
}

const CONFIRMED = "Every edge has forgotten all of it; that was read back.";
const UNCONFIRMED = "Not every edge has confirmed yet: the next run asks again.";

function drawEdge({ edge, addresses, patterns, collateral, everything }: PictureEdge): Element {
  const along =
    collateral.addresses === 0
      ? "No right copy goes along."
      : `${counted(collateral.addresses, "right copy", "right copies")} (${showBytes(collateral.bytes)}) ${collateral.addresses === 1 ? "goes" : "go"} along; with everything (/*) it would be ${everything.addresses} (${showBytes(everything.bytes)}).`;
  return h(
    "div",
    {},
    h("h3", {}, edge),
    h(
      "p",
      {},
      `${counted(addresses.length, "address", "addresses")} may be held wrongly; ${counted(patterns.length, "pattern")} ${patterns.length === 1 ? "clears" : "clear"} all of them. ${along}`,
    ),
    drawTakes(
      edge,
      patterns.filter(({ takes }) => takes.addresses > 0),
    ),
    drawList(
      counted(patterns.length, "pattern"),
      patterns.map(({ pattern }) => pattern),
    ),
    drawList(counted(addresses.length, "address", "addresses"), addresses),
  );
}

/** Only patterns that cost something are worth a line. */
function drawTakes(edge: string, patterns: readonly PatternTake[]): Element | undefined {
  if (patterns.length === 0) return undefined;
  const sorted = [...patterns].sort((a, b) => b.takes.bytes - a.takes.bytes).slice(0, MOST_PATTERNS);
  const most = Math.max(...sorted.map(({ takes }) => takes.bytes), 1);
  const columns = [
    { name: "Pattern" },
    { name: "Clears", isNumber: true },
    { name: "Takes along", isNumber: true },
    { name: "Taken along, drawn", isDrawn: true },
  ];
  const rows = sorted.map((take) => drawPattern(take, most));
  return drawScroll(
    { text: `Patterns at ${edge} that take right copies along` },
    drawGrid({ columns, rows }),
  );
}

function drawList(title: string, lines: readonly string[]): Element {
  return h(
    "details",
    {},
    h("summary", {}, title),
    h(
      "ul",
      { className: ["addresses"] },
      ...lines.slice(0, MOST_LINES).map((one) => h("li", {}, h("code", {}, one))),
    ),
    lines.length > MOST_LINES
      ? h("p", { className: ["about"] }, `and ${lines.length - MOST_LINES} more`)
      : undefined,
  );
}

function drawPattern({ pattern, clears, takes }: PatternTake, most: number): Element {
  const width = scaleLinear([0, most], [0, WIDTH])(takes.bytes);
  return h(
    "tr",
    {},
    h("td", {}, h("code", {}, pattern)),
    drawNumber(grouped(clears)),
    drawNumber(`${takes.addresses} (${showBytes(takes.bytes)})`),
    h("td", { className: ["drawn"] }, drawBars(WIDTH, 10, [{ className: ["along"], width, height: 10 }])),
  );
}

import type { Element } from "hast";
import { max } from "d3-array";
import { scaleBand, scaleLinear, type ScaleLinear } from "d3-scale";
import { line, stack } from "d3-shape";
import { ROLES, type Role } from "../../core/model/role.ts";
import type { ReleaseSize } from "../../core/picture/picture.ts";
import type { Report } from "../../results/report.ts";
import { showBytes } from "../../words/numbers.ts";
import { grouped } from "../../words/text.ts";
import { ROLE_NAMES } from "../../words/picture.ts";
import { drawChartBox, drawGrid, drawKey, drawNumber, drawScroll, drawSection } from "../grid.ts";
import { h, s } from "../html.ts";
import { toTime } from "./head.ts";

const [WIDTH, HEIGHT, LEFT, BOTTOM, TOP] = [1140, 240, 64, 26, 10];
const MOST_WIDE = 60;
/** Numbers of releases that have room below the chart. */
const MOST_NAMES = 24;

interface Chart {
  readonly releases: readonly ReleaseSize[];
  /** Those that any of them has files of. */
  readonly roles: readonly Role[];
  /** The release that the report is about. */
  readonly shown: number;
  /** The middle of a release's bar. */
  readonly middle: (release: number) => number;
  readonly width: number;
}

/** Sizes over the releases that are retained. */
export function drawReleases({ releases, release: shown }: Report): Element | undefined {
  if (releases.length < 2) return undefined;
  const roles = ROLES.filter((role) => releases.some((one) => (one.roles[role] ?? 0) > 0));
  const numbers = releases.map(({ release }) => release);
  const x = scaleBand(numbers, [LEFT, WIDTH]).paddingInner(0.35).paddingOuter(0.2);
  const chart: Chart = {
    ...{ releases, roles, shown, width: Math.min(x.bandwidth(), MOST_WIDE) },
    middle: (release) => (x(release) ?? 0) + x.bandwidth() / 2,
  };
  return drawSection(
    "releases",
    "Sizes over the releases",
    h("figure", {}, drawChartBox("Sizes over the releases", drawChart(chart)), drawKey(toKey(chart))),
    drawNumbers(chart),
  );
}

function drawChart(chart: Chart): Element {
  const { releases, roles, shown, middle } = chart;
  const most = max(releases, (one) => roles.reduce((sum, role) => sum + (one.roles[role] ?? 0), 0)) ?? 1;
  const y = scaleLinear([0, most], [HEIGHT - BOTTOM, TOP]).nice(4);
  const every = Math.ceil(releases.length / MOST_NAMES);
  const named = releases.filter(({ release }, at) => at % every === 0 || release === shown);
  return s(
    "svg",
    {
      ...{ className: ["chart"], viewBox: `0 0 ${WIDTH} ${HEIGHT}`, role: "img" },
      ariaLabel: "Stored bytes of each release by role; the numbers stand in the table below.",
    },
    ...y.ticks(4).map((tick) => drawTick(tick, y(tick))),
    ...drawLayers(chart, y),
    drawLine(chart),
    ...named.map(({ release }) => {
      const place = { x: middle(release), y: HEIGHT - 8, textAnchor: "middle" };
      return s("text", { className: release === shown ? ["now"] : [], ...place }, release);
    }),
  );
}

const drawTick = (tick: number, y: number): Element =>
  s(
    "g",
    { className: ["tick"] },
    s("line", { x1: LEFT, x2: WIDTH, y1: y, y2: y }),
    s("text", { x: LEFT - 8, y: y + 4, textAnchor: "end" }, showBytes(tick)),
  );

/** Each role upon the one before. */
function drawLayers({ releases, roles, middle, width }: Chart, y: ScaleLinear<number, number>): Element[] {
  const layers = stack<ReleaseSize, Role>()
    .keys(roles)
    .value((one, role) => one.roles[role] ?? 0)([...releases]);
  return layers.map((layer) =>
    s(
      "g",
      { className: ["role", layer.key] },
      ...layer.map(([from, to], at) => {
        const { release } = releases[at] as ReleaseSize;
        const box = { x: middle(release) - width / 2, y: y(to), width, height: Math.max(y(from) - y(to), 0) };
        return s(
          "rect",
          box,
          s("title", {}, `release ${release}: ${ROLE_NAMES[layer.key]} ${showBytes(to - from)}`),
        );
      }),
    ),
  );
}

const isWeighed = ({ firstVisit }: ReleaseSize): boolean => firstVisit !== undefined;

/** First visits, at a scale of their own. */
function drawLine({ releases, middle }: Chart): Element | undefined {
  const known = releases.filter(isWeighed);
  if (known.length < 2) return undefined;
  const y = scaleLinear([0, max(known, ({ firstVisit }) => firstVisit) ?? 1], [HEIGHT - BOTTOM, TOP + 14]);
  const [x, up] = [(one: ReleaseSize) => middle(one.release), (one: ReleaseSize) => y(one.firstVisit ?? 0)];
  return s(
    "g",
    { className: ["visit"] },
    s("path", { d: line(x, up)([...known]) ?? "", fill: "none" }),
    ...known.map((one) =>
      s(
        "circle",
        { cx: x(one), cy: up(one), r: 3 },
        s("title", {}, `release ${one.release}: first visit ${showBytes(one.firstVisit ?? 0)}`),
      ),
    ),
  );
}

const toKey = ({ roles, releases }: Chart): { className: string[]; words: string }[] => [
  ...roles.map((role) => ({ className: ["role", role], words: ROLE_NAMES[role] })),
  ...(releases.filter(isWeighed).length > 1
    ? [{ className: ["visit"], words: "first visit to the entry page, at its own scale" }]
    : []),
];

function drawNumbers({ releases, roles, shown }: Chart): Element {
  const columns = [
    { name: "Release" },
    { name: "Made" },
    ...["Files", ...roles.map((role) => ROLE_NAMES[role]), "First visit"].map((name) => ({
      name,
      isNumber: true,
    })),
  ];
  const rows = [...releases]
    .reverse()
    .map((one) =>
      h(
        "tr",
        { className: one.release === shown ? ["now"] : [] },
        h("th", { scope: "row" }, one.release),
        h("td", {}, toTime(one.at)),
        drawNumber(grouped(one.files)),
        ...roles.map((role) => drawNumber(showBytes(one.roles[role] ?? 0))),
        drawNumber(one.firstVisit === undefined ? "" : showBytes(one.firstVisit)),
      ),
    );
  const label = { text: "Sizes over the releases, in numbers" };
  return h("details", {}, h("summary", {}, "the numbers"), drawScroll(label, drawGrid({ columns, rows })));
}

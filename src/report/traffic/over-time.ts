import type { Element } from "hast";
import { max } from "d3-array";
import { scaleLinear, scaleUtc, type ScaleLinear, type ScaleTime } from "d3-scale";
import type { Span } from "../../core/traffic/traffic.ts";
import type { TrafficResult } from "../../results/traffic.ts";
import { showBytes, showSeconds } from "../../words/numbers.ts";
import { grouped } from "../../words/text.ts";
import { drawChartBox, drawGrid, drawKey, drawNumber, drawScroll, drawSection } from "../grid.ts";
import { h, s } from "../html.ts";
import { toTime } from "../sections/head.ts";

const [WIDTH, HEIGHT, LEFT, BOTTOM, TOP] = [1140, 260, 64, 26, 26];

/** What is drawn of a span, from below. */
const LAYERS = [
  { name: "hits", words: "out of the cache", of: ({ hits }: Span) => hits },
  { name: "misses", words: "from the origin", of: ({ misses }: Span) => misses },
  {
    name: "rest",
    words: "neither, or not said",
    of: ({ requests, hits, misses }: Span) => requests - hits - misses,
  },
] as const;

/** Requests over time, with the deliveries. */
export function drawOverTime(result: TrafficResult): Element | undefined {
  const { spans, spanSeconds } = result;
  if (spans.length < 2) return undefined;
  const there = LAYERS.filter(({ of }) => spans.some((span) => of(span) > 0));
  const key = [
    ...there.map(({ name, words }) => ({ className: ["span", name], words })),
    ...(spans.some(({ missing }) => missing > 0)
      ? [{ className: ["span", "missing"], words: "not found" }]
      : []),
  ];
  return drawSection(
    "time",
    "Over time",
    h("figure", {}, drawChartBox("Requests over time", drawChart(result)), drawKey(key)),
    h(
      "details",
      {},
      h(
        "summary",
        {},
        `the numbers, ${spanSeconds < 60 ? `${spanSeconds} s` : showSeconds(spanSeconds)} each`,
      ),
      drawScroll({ text: "Requests over time, in numbers" }, drawNumbers(spans)),
    ),
  );
}

interface Scales {
  readonly x: ScaleTime<number, number>;
  readonly y: ScaleLinear<number, number>;
  /** Pixels of one span. */
  readonly width: number;
}

function drawChart({ spans, spanSeconds, deliveries }: TrafficResult): Element {
  const first = Date.parse(spans[0]?.at ?? "");
  const last = Date.parse(spans.at(-1)?.at ?? "") + spanSeconds * 1000;
  const x = scaleUtc([first, last], [LEFT, WIDTH]);
  const y = scaleLinear([0, max(spans, ({ requests }) => requests) ?? 1], [HEIGHT - BOTTOM, TOP]).nice(4);
  const scales = { x, y, width: Math.max(x(first + spanSeconds * 1000) - LEFT - 0.6, 0.6) };
  return s(
    "svg",
    {
      ...{ className: ["chart"], viewBox: `0 0 ${WIDTH} ${HEIGHT}`, role: "img" },
      ariaLabel: "Requests over time; the numbers stand in the table below.",
    },
    ...y.ticks(4).map((tick) => drawTick(y(tick), grouped(tick))),
    ...spans.flatMap((span) => drawSpan(span, scales)),
    ...x.ticks(8).map((tick) => drawTime(x(tick), toShort(tick, last - first))),
    ...deliveries.map(({ release, at }) => drawDelivery(release, x(Date.parse(at)))),
  );
}

/** At the right edge a text would be cut off. */
const drawTime = (x: number, words: string): Element =>
  s("text", { x, y: HEIGHT - 7, textAnchor: x > WIDTH - 30 ? "end" : "middle" }, words);

const drawTick = (y: number, words: string): Element =>
  s(
    "g",
    { className: ["tick"] },
    s("line", { x1: LEFT, x2: WIDTH, y1: y, y2: y }),
    s("text", { x: LEFT - 8, y: y + 4, textAnchor: "end" }, words),
  );

/** Each part upon the one before, and a mark at the foot where something was not found. */
function drawSpan(span: Span, { x, y, width }: Scales): Element[] {
  const left = x(Date.parse(span.at));
  let from = 0;
  const bars = LAYERS.map(({ name, of }) => {
    const [low, high] = [from, from + of(span)];
    from = high;
    const box = { x: left, y: y(high), width, height: Math.max(y(low) - y(high), 0) };
    return s("rect", { className: ["span", name], ...box });
  });
  if (span.missing === 0) return bars;
  const foot = { x: left, y: HEIGHT - BOTTOM, width, height: 4 };
  return [...bars, s("rect", { className: ["span", "missing"], ...foot })];
}

const drawDelivery = (release: number, x: number): Element =>
  s(
    "g",
    { className: ["delivery"] },
    s("line", { x1: x, x2: x, y1: TOP - 8, y2: HEIGHT - BOTTOM }),
    s(
      "text",
      { className: ["now"], x, y: TOP - 12, textAnchor: x > WIDTH - 60 ? "end" : "middle" },
      `release ${release}`,
    ),
  );

const DAY_MS = 86_400_000;

/** A time on the axis: days where the whole is longer than two, else hours and minutes, seconds below a few minutes. */
function toShort(at: Date, wholeMs: number): string {
  const iso = at.toISOString();
  if (wholeMs > 2 * DAY_MS) return iso.slice(5, 10);
  return iso.slice(11, wholeMs < 600_000 ? 19 : 16);
}

function drawNumbers(spans: readonly Span[]): Element {
  const columns = [
    { name: "From" },
    ...["Requests", "Sent", "Out of the cache", "From the origin", "Not found"].map((name) => ({
      name,
      isNumber: true,
    })),
  ];
  const rows = spans.map(({ at, requests, bytes, hits, misses, missing }) =>
    h(
      "tr",
      {},
      h("td", {}, toTime(at)),
      drawNumber(grouped(requests)),
      drawNumber(showBytes(bytes)),
      ...[hits, misses, missing].map((count) => drawNumber(grouped(count))),
    ),
  );
  return drawGrid({ columns, rows });
}

import type { Element } from "hast";
import type { LateAddress, LetGoAssets, MissingAddress, RemovedAddress } from "../../core/traffic/traffic.ts";
import type { TrafficResult } from "../../results/traffic.ts";
import { counted, grouped } from "../../words/text.ts";
import { showRetainMend, SUCCESSOR_REASONS, toRedirectLine } from "../../words/traffic.ts";
import { drawGrid, drawNumber, drawScroll, drawSection } from "../grid.ts";
import { h, type Inside } from "../html.ts";
import { toTime } from "../sections/head.ts";

/** Of each kind; the JSON result has all. */
const MOST = 100;

/** What was not found, by its cause, each with what mends it. */
export function drawMissing({ missing, retain, basePath }: TrafficResult): Element {
  const { requests, letGo, removed, late, never, neverAddresses, neverRequests } = missing;
  if (requests === 0)
    return drawSection("missing", "Not found", h("p", { className: ["about"] }, "Nothing was missing."));
  return drawSection(
    "missing",
    "Not found",
    ...letGo.map((group, at) => drawLetGo(group, { retain, at })),
    removed.length === 0 ? undefined : drawRemoved(removed, basePath),
    late.length === 0 ? undefined : drawLate(late),
    neverAddresses === 0
      ? undefined
      : drawPart(
          "never",
          `Never there: ${counted(neverAddresses, "address", "addresses")}, ${counted(neverRequests, "request")}`,
          "What nobody has ever delivered: mistyped, or asked for by whoever looks for holes. Links from your own pages are worth a look.",
          drawMissingTable("never", never),
        ),
  );
}

const drawPart = (id: string, title: string, about: Inside, ...inside: readonly Inside[]): Element =>
  h(
    "div",
    { className: ["cause"] },
    h("h3", { id: `${id}-title` }, title),
    h("p", { className: ["about"] }, about),
    ...inside,
  );

function drawLetGo(
  group: LetGoAssets,
  { retain, at }: { readonly retain: TrafficResult["retain"]; readonly at: number },
): Element {
  const of = group.release === undefined ? "an earlier release" : `release ${group.release}`;
  const since = group.superseded === undefined ? "" : `, which was superseded ${toTime(group.superseded)}`;
  const id = `let-go-${at}`;
  return drawPart(
    id,
    `Assets of ${of} that stand no more`,
    `${counted(group.requests, "request")}, ${grouped(group.people)} by people: pages that were still open, or kept somewhere, named files of ${of}${since}.`,
    drawMend(showRetainMend(group, retain)),
    drawMissingTable(id, group.addresses),
  );
}

function drawRemoved(removed: readonly RemovedAddress[], basePath: string): Element {
  const mended = removed.filter(({ leadsTo }) => leadsTo !== undefined);
  const lines = mended.map((one) => `  - ${toRedirectLine(one, basePath)}`).slice(0, MOST);
  return drawPart(
    "removed",
    "In the site no more, and still asked for",
    "Redirects bring those who follow an old link to what is nearest. Look at each before you paste it.",
    lines.length === 0
      ? undefined
      : h("pre", { className: ["paste"], tabIndex: 0 }, `redirects:\n${lines.join("\n")}`),
    drawMissingTable("removed", removed, ({ removedBy, leadsTo }) =>
      [
        removedBy
          ? `removed by release ${removedBy.release}, ${toTime(removedBy.at)}`
          : "it answered earlier in this log",
        ...(leadsTo ? [`${leadsTo.address}: ${SUCCESSOR_REASONS[leadsTo.because]}`] : []),
      ].join("; "),
    ),
  );
}

const drawLate = (late: readonly LateAddress[]): Element =>
  drawPart(
    "late",
    "There now",
    "What answers today and was missing when it was asked for.",
    drawMissingTable("late", late, ({ since }) =>
      since
        ? `release ${since.release} brought it, ${toTime(since.at)}`
        : "it had been there all the time: an edge may have held an old answer",
    ),
  );

const drawMend = (words: string): Element => h("p", { className: ["mend"] }, h("b", {}, "Mend "), words);

function drawMissingTable<T extends MissingAddress>(
  id: string,
  all: readonly T[],
  tell?: (one: T) => string,
): Element {
  const columns = [
    { name: "Address" },
    ...["Requests", "By people"].map((name) => ({ name, isNumber: true })),
    ...["Last", "Linked from", ...(tell ? ["What is known"] : [])].map((name) => ({ name })),
  ];
  const rows = all
    .slice(0, MOST)
    .map((one) =>
      h(
        "tr",
        {},
        h("td", {}, h("code", {}, one.address)),
        drawNumber(grouped(one.requests)),
        drawNumber(grouped(one.people)),
        h("td", {}, toTime(one.last)),
        h("td", {}, ...drawLinks(one)),
        tell && h("td", {}, tell(one)),
      ),
    );
  return drawScroll({ by: `${id}-title` }, drawGrid({ columns, rows }));
}

const drawLinks = ({ referrers }: MissingAddress): Inside[] =>
  referrers.flatMap(({ address, requests }, at) => [
    at === 0 ? "" : ", ",
    h("code", {}, address),
    ` ${grouped(requests)}`,
  ]);

import type { Element } from "hast";
import type { TrafficResult } from "../../results/traffic.ts";
import { showBytes } from "../../words/numbers.ts";
import { counted, grouped, listed } from "../../words/text.ts";
import { AGENT_NAMES, showShare } from "../../words/traffic.ts";
import { h } from "../html.ts";
import { toTime } from "../sections/head.ts";

/** Also the title of the page. */
export const titleOf = ({ destination, from, until }: TrafficResult): string =>
  from === undefined || until === undefined
    ? `${destination}: no request`
    : `${destination}: traffic from ${toTime(from).replace(" UTC", "")} to ${toTime(until)}`;

/** The numbers that most readers came for. */
export function drawHead(result: TrafficResult, site: string): Element {
  const { all, agents, lines, missing, logs, cut } = result;
  const people = agents.find(({ kind }) => kind === "people")?.requests ?? 0;
  const figures: (readonly [string, string])[] = [
    [grouped(all.requests), `requests, ${showShare(people / Math.max(all.requests, 1))} by people`],
    [showBytes(all.bytes), "sent to visitors"],
    ...(all.hitRate === undefined
      ? []
      : [[showShare(all.hitRate), "of what could be a hit was one"] as const]),
    [grouped(missing.requests), "answered with 'not found'"],
  ];
  const left = [
    ...(lines.own > 0 ? [`${counted(lines.own, "request")} of rcourier itself left out`] : []),
    ...(lines.otherMethods > 0
      ? [`${counted(lines.otherMethods, "request")} by other methods than GET and HEAD left out`]
      : []),
    ...(lines.unreadable > 0 ? [`${counted(lines.unreadable, "line")} could not be read`] : []),
    ...(cut.length > 0 ? [`cut off in the middle: ${listed(cut)}`] : []),
  ];
  return h(
    "header",
    {},
    h("p", { className: ["site"] }, site),
    h("h1", {}, titleOf(result)),
    h("p", { className: ["facts"] }, `out of ${listed(logs, 3)}`),
    h(
      "ul",
      { className: ["figures"] },
      ...figures.map(([value, words]) => h("li", {}, h("b", {}, value), ` ${words}`)),
    ),
    h("p", { className: ["about"] }, toSpread(result)),
    left.length === 0 ? undefined : h("p", { className: ["about"] }, left.join(" · ")),
  );
}

/** Who asked, and how it was answered. */
const toSpread = ({ agents, statuses }: TrafficResult): string =>
  [
    ...agents
      .filter(({ requests }) => requests > 0)
      .map(({ kind, requests }) => `${AGENT_NAMES[kind]} ${grouped(requests)}`),
    ...statuses.map(({ status, requests }) => `${status}: ${grouped(requests)}`),
  ].join(" · ");

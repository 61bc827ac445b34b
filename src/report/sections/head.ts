import type { Element } from "hast";
import { isOfBuild } from "../../core/picture/weights.ts";
import { showBytes } from "../../words/numbers.ts";
import { counted, grouped } from "../../words/text.ts";
import { h } from "../html.ts";
import type { Report } from "../../results/report.ts";

/** Whose report it is, and the four numbers that most readers came for. */
export function drawHead(report: Report): Element {
  const { site, url, by, commit, note, isCutOff = false } = report;
  const facts = [
    toTime(report.at),
    ...(by === undefined ? [] : [`by ${by}`]),
    ...(commit === undefined ? [] : [`commit ${commit}`]),
    ...(note === undefined ? [] : [`“${note}”`]),
    ...(isCutOff ? ["the release before it is not retained: all files count as new"] : []),
  ];
  return h(
    "header",
    {},
    h("p", { className: ["site"] }, site, url === undefined ? undefined : h("span", {}, ` ${url}`)),
    h("h1", {}, titleOf(report)),
    h("p", { className: ["facts"] }, facts.join(" · ")),
    h(
      "ul",
      { className: ["figures"] },
      ...toFigures(report).map(([value, words]) => h("li", {}, h("b", {}, value), ` ${words}`)),
    ),
  );
}

/** Also the title of the page. */
export function titleOf({ kind, destination, release, previous }: Report): string {
  const after = previous === 0 ? "" : ` after ${previous}`;
  switch (kind) {
    case "planned":
      return release === previous
        ? `${destination}: nothing would change`
        : `${destination}: what release ${release} would change`;
    case "delivered":
      return release === previous
        ? `${destination}: nothing changed`
        : `${destination}: release ${release} is delivered`;
    case "release":
      return `${destination}: release ${release}${after}`;
  }
}

/** A time to the minute. @param at ISO 8601 UTC */
export const toTime = (at: string): string => `${at.slice(0, 16).replace("T", " ")} UTC`;

function toFigures({ kind, files, edges, visits }: Report): (readonly [string, string])[] {
  const own = files.filter(isOfBuild);
  const changed = own.filter(({ fate }) => fate !== "unchanged");
  const gone = files.filter(({ fate }) => fate === "removed").length;
  const going = gone === 0 ? "" : kind === "planned" ? `, ${gone} would go` : `, ${gone} went`;
  const written = files.filter(({ by }) => by === "sending").reduce((sum, { size }) => sum + size, 0);
  const figures: (readonly [string, string])[] = [
    [
      grouped(changed.length),
      `of ${counted(own.length, "file")} ${kind === "planned" ? "would change" : "changed"}${going}`,
    ],
    kind === "release"
      ? [showBytes(own.reduce((sum, { size }) => sum + size, 0)), "stored"]
      : [showBytes(written), kind === "planned" ? "would be sent" : "sent"],
  ];
  if (edges && edges.length > 0) {
    const patterns = edges.reduce((sum, edge) => sum + edge.patterns.length, 0);
    const addresses = new Set(edges.flatMap((edge) => edge.addresses)).size;
    figures.push([
      grouped(addresses),
      `${addresses === 1 ? "address" : "addresses"} ${kind === "planned" ? "would be " : ""}invalidated, by ${counted(patterns, "pattern")}`,
    ]);
  }
  const [visit] = visits;
  if (visit) figures.push([showBytes(visit.wire), toVisitWords(visit)]);
  return figures;
}

function toVisitWords({ wire, before }: Report["visits"][number]): string {
  if (before === undefined) return "for a first visit";
  if (showBytes(before.wire) === showBytes(wire)) return "for a first visit, as before";
  const percent = Math.round(((wire - before.wire) / Math.max(before.wire, 1)) * 100);
  return `for a first visit; before ${showBytes(before.wire)} (${percent < 0 ? "−" : "+"}${Math.abs(percent)} %)`;
}

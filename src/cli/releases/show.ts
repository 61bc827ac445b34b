import { countRules, showRule } from "../../words/edge-rules.ts";
import { largest } from "../../core/model/largest.ts";
import type {
  HoldResult,
  OneReleaseResult,
  ReleaseComparisonResult,
  ReleaseListResult,
} from "../../results/history.ts";
import { clean, type Mark, type Terminal } from "../frame/terminal.ts";
import { fill, widthOf } from "../frame/width.ts";
import { toBlock } from "../frame/block.ts";
import { counted, listed } from "../../words/text.ts";
import { showBytes, showTime } from "../../words/numbers.ts";

type Release = ReleaseListResult["releases"][number];

export function showReleaseList(result: ReleaseListResult, terminal: Terminal, now: Date): string {
  const { style } = terminal;
  const rows = result.releases.map((release) => [
    `${release.release}`,
    showTime(release.at, now),
    counted(release.files, "file"),
    showBytes(release.bytes),
    clean(release.by),
    describe(release),
  ]);
  const widths = [0, 1, 2, 3, 4].map((column) => largest(rows.map((row) => widthOf(row[column] ?? ""))));
  const lines = rows.map((row) => {
    const cells = row.map((cell, column) => {
      const width = widths[column] ?? 0;
      return column === 0 || column === 2 || column === 3 ? cell.padStart(width) : fill(cell, width);
    });
    return `  ${cells.join("  ").trimEnd()}\n`;
  });
  const owed = result.owed.filter(({ addresses }) => addresses.length > 0);
  return [
    `${style("strong", clean(result.destination))}: ${counted(rows.length, "release")} that can be put back\n\n`,
    ...lines,
    ...result.unreadable.map((release) => style("bad", `  ${release}  its record can't be read\n`)),
    ...(result.heldBack.length > 0
      ? [style("warn", `\nheld back until the edge has confirmed: ${listed(result.heldBack.map(clean))}\n`)]
      : []),
    ...owed.map(({ edge, addresses }) =>
      style(
        "warn",
        `\nthe edge ${clean(edge)} still owes a confirmation of ${counted(addresses.length, "address", "addresses")}\n`,
      ),
    ),
  ].join("");
}

function describe({ release, isCurrent, redelivers, takenFrom, commit, note, sequence }: Release): string {
  return [
    ...(isCurrent ? ["current"] : []),
    ...(release === 0 ? ["before this tool"] : []),
    ...(redelivers === undefined ? [] : [`puts back ${redelivers}`]),
    ...(takenFrom === undefined ? [] : [`takes over ${clean(takenFrom)}`]),
    ...(sequence === undefined ? [] : [`build ${sequence}`]),
    ...(commit === undefined ? [] : [clean(commit).slice(0, 12)]),
    ...(note === undefined || release === 0 ? [] : [clean(note)]),
  ].join(", ");
}

export function showOneRelease(
  result: OneReleaseResult,
  terminal: Terminal,
  { all, now }: { all: boolean; now: Date },
): string {
  const { style } = terminal;
  const facts: [string, string][] = [
    ["made", `${showTime(result.at, now)} by ${clean(result.by)}`],
    ["after", result.previous === 0 ? "nothing: the first" : `release ${result.previous}`],
    ...(result.takenFrom === undefined ? [] : [["takes over", clean(result.takenFrom)] as [string, string]]),
    ...(result.redelivers === undefined
      ? []
      : [["puts back", `release ${result.redelivers}`] as [string, string]]),
    ...(result.sequence === undefined ? [] : [["build", `${result.sequence}`] as [string, string]]),
    ...(result.commit === undefined ? [] : [["commit", clean(result.commit)] as [string, string]]),
    ...(result.note === undefined ? [] : [["note", clean(result.note)] as [string, string]]),
    ["holds", `${counted(result.files, "file")}, ${showBytes(result.bytes)}`],
  ];
  const width = Math.max(5, largest(result.parcels.map(({ role }) => role.length)));
  const lines = result.parcels.map(
    ({ key, role, size, aliasOf, redirectsTo, isHeldBack }) =>
      `${role.padEnd(width)}  ${showBytes(size).padStart(8)}  ${clean(key)}${aliasOf === undefined ? "" : ` (stands for ${clean(aliasOf)})`}${redirectsTo === undefined ? "" : ` (leads to ${clean(redirectsTo)})`}${isHeldBack === true ? " (held back until the edge has confirmed)" : ""}`,
  );
  const standing = result.standing.map(({ key, lastIn }) => `${clean(key)} (last in ${lastIn})`);
  return [
    `${style("strong", `${clean(result.destination)}, release ${result.release}`)}${result.isCurrent ? ": current" : ""}\n`,
    ...facts.map(([name, value]) => `  ${name.padEnd(10)}${value}\n`),
    "\n",
    ...toBlock(lines, all),
    ...(standing.length > 0
      ? [`\n${style("faint", "kept for open tabs")}\n`, ...toBlock(standing, all)]
      : []),
  ].join("");
}

const MARKS: Readonly<Record<string, Mark>> = {
  new: "good",
  moved: "good",
  replaced: "warn",
  relabelled: "warn",
  removed: "bad",
};

export function showReleaseComparison(
  { destination, from, to, counts, changes, edgeRules }: ReleaseComparisonResult,
  { style }: Terminal,
  { all }: { all: boolean },
): string {
  const title = style("strong", `${clean(destination)}, release ${from} to ${to}`);
  if (changes.length + edgeRules.length === 0) return `${title}: no difference\n`;
  const parts = Object.entries(counts).filter(([, count]) => count > 0);
  const blocks = parts.map(([kind]) => {
    const members = changes.filter(({ change }) => change === kind);
    const lines = members.map(
      ({ key, role, size }) => `${role.padEnd(13)}  ${showBytes(size).padStart(8)}  ${clean(key)}`,
    );
    return `\n${style(MARKS[kind] ?? "strong", kind)}\n${toBlock(lines, all).join("")}`;
  });
  const rules = edgeRules.map((one) => `${clean(showRule(one))}  ${style("faint", one.change)}`);
  const atEdge =
    rules.length === 0 ? "" : `\n${style("warn", "at the edge")}\n${toBlock(rules, all).join("")}`;
  const counted = [
    ...parts.map(([kind, count]) => `${count} ${kind}`),
    ...(rules.length === 0 ? [] : [`${countRules(edgeRules)} at the edge`]),
  ];
  return `${title}: ${counted.join(", ")}\n${blocks.join("")}${atEdge}`;
}

export function showHoldResult(
  { destination, isHeld, hold }: HoldResult,
  { style }: Terminal,
  now: Date,
): string {
  const title = style("strong", clean(destination));
  if (!hold)
    return isHeld
      ? `${title}: held by a run whose record can't be read\n`
      : `${title}: free, and never held yet\n`;
  const who = `${clean(hold.work)} by ${clean(hold.by)} on ${clean(hold.host)}, process ${hold.process}, run ${clean(hold.run)}`;
  return isHeld
    ? `${title}: held\n  ${who}\n  taken ${showTime(hold.at, now)}; ends by itself when it was not renewed for ${hold.leaseSeconds} s\n`
    : `${title}: free\n  last held by ${who}, taken ${showTime(hold.at, now)}\n`;
}

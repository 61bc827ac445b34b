import type { DeliveryResult } from "../../core/results.ts";
import { clean, type Mark, type Terminal } from "../terminal.ts";
import { counted, showBytes, showSeconds, showTime } from "./numbers.ts";

/** How many names of one kind are shown before the rest is counted. */
const MOST_NAMES = 12;

type Changes = DeliveryResult["changes"];

const KINDS: readonly (readonly [Changes[number]["change"], string, Mark])[] = [
  ["new", "new", "good"],
  ["moved", "moved", "good"],
  ["replaced", "replaced", "warn"],
  ["relabelled", "relabelled", "warn"],
  ["drifted", "drifted", "bad"],
  ["missing", "missing", "bad"],
];

/** What a delivery would do, file by file. */
export function showComparison(
  result: DeliveryResult,
  terminal: Terminal,
  options: { all: boolean; now: Date },
): string {
  const { style } = terminal;
  const blocks = KINDS.map(([kind, word, mark]) => {
    const members = result.changes.filter(({ change }) => change === kind);
    return toBlock(style(mark, word), toLines(members, terminal), options.all);
  });
  const keys = new Set(result.kept.map(({ key }) => key));
  const removed = toBlock(style("bad", "removed"), result.pruned.map(clean), options.all);
  const kept = toBlock(style("faint", "kept for open tabs"), [...keys].map(clean), options.all);
  const body = [...blocks, removed, kept].filter((block) => block !== "").join("\n");
  const what = isEmpty(result)
    ? `nothing to do: release ${result.release} is this build`
    : `would become release ${result.release}`;
  return `${heading(result, what, terminal)}\n${body === "" ? "" : `${body}\n`}${showTotals(result, terminal, options.now)}`;
}

/** What a delivery did. */
export function showDelivery(result: DeliveryResult, terminal: Terminal, now: Date): string {
  const { release, previous, dryRun } = result;
  if (isEmpty(result))
    return `${heading(result, `nothing to do: release ${release} is this build, nothing was written`, terminal)}\n${showTotals(result, terminal, now)}`;
  const state = dryRun
    ? `would become release ${release}, nothing was written`
    : `release ${release}${previous > 0 ? ` after ${previous}` : ""}`;
  return `${heading(result, state, terminal)}\n${showTotals(result, terminal, now)}${showCost(result, terminal)}`;
}

const isEmpty = ({ release, previous, changes, invalidation }: DeliveryResult): boolean =>
  release === previous && changes.length === 0 && invalidation.edges.length === 0;

const heading = ({ site, destination }: DeliveryResult, what: string, { style }: Terminal): string =>
  `${style("strong", `${clean(site)}, ${destination}`)}: ${what}\n`;

function showTotals(result: DeliveryResult, terminal: Terminal, now: Date): string {
  const { counts, bytes, kept, pruned, warnings, dryRun } = result;
  const sent = counts.new + counts.replaced + counts.drifted + counts.missing;
  const rows: [string, string, string, string][] = [
    [
      dryRun ? "to send" : "sent",
      counted(sent, "file"),
      showBytes(bytes.sent),
      parts(
        [counts.new, "new"],
        [counts.replaced, "replaced"],
        [counts.drifted, "drifted"],
        [counts.missing, "missing"],
      ),
    ],
    [
      dryRun ? "to copy" : "copied",
      counted(counts.moved + counts.relabelled, "file"),
      showBytes(bytes.copied),
      `inside the store: ${parts([counts.moved, "moved"], [counts.relabelled, "relabelled"])}`,
    ],
    ["unchanged", counted(counts.unchanged, "file"), showBytes(bytes.unchanged), ""],
    [
      dryRun ? "to remove" : "removed",
      counted(pruned.length, "file"),
      "",
      pruned.slice(0, 2).map(clean).join(", ") + (pruned.length > 2 ? ", …" : ""),
    ],
    ["kept", counted(kept.length, "file"), "", keptUntil(kept, now)],
    [
      "aliases",
      counted(result.generated.written, "object"),
      "",
      "made so that every promised form of a page's address answers",
    ],
    ["foreign", counted(counts.foreign, "object"), "", "not ours, left alone"],
  ];
  const shown = rows.filter(([, count]) => !count.startsWith("0 "));
  const widths = [0, 1, 2].map((column) => Math.max(...shown.map((row) => (row[column] as string).length)));
  const lines = shown.map(([name, count, size, note]) =>
    `  ${name.padEnd(widths[0] ?? 0)}  ${count.padStart(widths[1] ?? 0)}  ${size.padStart(widths[2] ?? 0)}  ${terminal.style("faint", note)}`.trimEnd(),
  );
  const notes = warnings.map((warning) => `${terminal.style("warn", "note:")} ${clean(warning)}\n`).join("");
  return `${lines.join("\n")}\n${showInvalidation(result, terminal)}${notes === "" ? "" : `\n${notes}`}`;
}

function showInvalidation({ invalidation, dryRun }: DeliveryResult, { style }: Terminal): string {
  const { addresses, edges } = invalidation;
  if (edges.length === 0) return "";
  const lines = edges.map(({ edge, patterns, confirmed }) => {
    const state = dryRun
      ? ""
      : confirmed
        ? `: ${style("good", "confirmed")}`
        : `: ${style("bad", "not confirmed, still owed")}`;
    return `  edge ${edge} ${dryRun ? "would be" : "was"} asked to forget ${counted(addresses.length, "address", "addresses")}${patterns === addresses.length ? "" : ` (${counted(patterns, "pattern")})`}${state}\n`;
  });
  return `\n${lines.join("")}`;
}

function showCost({ phases, requests, url, dryRun }: DeliveryResult, { style }: Terminal): string {
  const total = phases.reduce((sum, { seconds }) => sum + seconds, 0);
  const { retried, ...kinds } = requests;
  const asked = Object.entries(kinds).filter(([, count]) => count > 0);
  const sum = asked.reduce((all, [, count]) => all + count, 0);
  const times = phases.map(({ name, seconds }) => `${name} ${seconds.toFixed(2)}`).join(", ");
  const lines = [
    `  ${showSeconds(total)}: ${times}`,
    `  ${counted(sum, "request")} to the store: ${asked.map(([kind, count]) => `${count} ${kind}`).join(", ")}${retried > 0 ? `; ${retried} tried again` : ""}`,
  ];
  return `\n${lines.map((line) => `${style("faint", line)}\n`).join("")}${url === undefined || dryRun ? "" : `\n  ${url}\n`}`;
}

function toBlock(title: string, lines: readonly string[], all: boolean): string {
  if (lines.length === 0) return "";
  const shown = all ? lines : lines.slice(0, MOST_NAMES);
  const rest = lines.length - shown.length;
  return `  ${title}\n${shown.map((line) => `    ${line}\n`).join("")}${rest > 0 ? `    and ${rest} more: --all\n` : ""}`;
}

/** Name, size, role and, where it says more than the heading, the reason. */
function toLines(members: Changes, { style }: Terminal): string[] {
  const width = Math.min(56, Math.max(0, ...members.map(({ key }) => key.length)));
  return members.map(({ key, role, size, reason }) => {
    const why = /^(content|not there yet)$/.test(reason) ? "" : `, ${clean(reason)}`;
    return `${clean(key).padEnd(width)}  ${showBytes(size).padStart(8)}  ${style("faint", role + why)}`;
  });
}

const parts = (...counts: readonly [number, string][]): string =>
  counts
    .filter(([count]) => count > 0)
    .map(([count, word]) => `${count} ${word}`)
    .join(", ");

function keptUntil(kept: DeliveryResult["kept"], now: Date): string {
  const [last] = kept.map(({ until }) => until).sort((a, b) => (a.at < b.at ? 1 : -1));
  return last ? `for open tabs: until release ${last.release} at least, and ${showTime(last.at, now)}` : "";
}

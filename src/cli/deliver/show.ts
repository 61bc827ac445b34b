import { largest } from "../../core/model/largest.ts";
import type { DeliveryResult } from "../../results/delivery.ts";
import { isPlainReason } from "../../words/reasons.ts";
import { clean, type Mark, type Terminal } from "../frame/terminal.ts";
import { columnFor, fill } from "../frame/width.ts";
import { showInvalidation } from "../invalidate/show.ts";
import { showFindings } from "../verify/show.ts";
import { countRules, showRule } from "../../words/edge-rules.ts";
import { counted, listed } from "../../words/text.ts";
import { showBytes, showSeconds, showTime } from "../../words/numbers.ts";

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
  const width = Math.min(
    56,
    columnFor(
      result.changes.map(({ key }) => clean(key)),
      terminal.columns,
    ),
  );
  const blocks = KINDS.map(([kind, word, mark]) => {
    const members = result.changes.filter(({ change }) => change === kind);
    return toBlock(style(mark, word), toLines(members, width, terminal), options.all);
  });
  const keys = new Set(result.kept.map(({ key }) => key));
  const removed = toBlock(style("bad", "removed"), result.pruned.map(clean), options.all);
  const kept = toBlock(style("faint", "kept for open tabs"), [...keys].map(clean), options.all);
  const rules = toBlock(style("warn", "at the edge"), toRuleLines(result, terminal), options.all);
  const body = [...blocks, removed, kept, rules].filter((block) => block !== "").join("\n");
  const what = isEmpty(result)
    ? `nothing to do: release ${result.release} is this build`
    : result.release === result.previous
      ? `release ${result.release} stays; something is left to do`
      : `would become release ${result.release}`;
  return `${heading(result, what, terminal)}\n${body === "" ? "" : `${body}\n`}${showTotals(result, terminal, options.now)}`;
}

/** What a delivery did. */
export function showDelivery(result: DeliveryResult, terminal: Terminal, now: Date): string {
  const { release, previous, dryRun, redelivers, takenFrom } = result;
  if (isEmpty(result))
    return `${heading(result, `nothing to do: release ${release} is this build, nothing was written`, terminal)}\n${showTotals(result, terminal, now)}${showLink(result, now)}`;
  const taken = takenFrom === undefined ? "" : `, takes over ${clean(takenFrom)}`;
  const back = redelivers === undefined ? taken : `, puts back release ${redelivers}`;
  if (release === previous) {
    const left = dryRun ? "something is left to do, nothing was written" : "what was left to do is done";
    return `${heading(result, `release ${release} stays; ${left}`, terminal)}\n${showTotals(result, terminal, now)}${showCost(result, terminal)}${showLink(result, now)}`;
  }
  const state = dryRun
    ? `would become release ${release}${back}; nothing was written`
    : `release ${release}${previous > 0 ? ` after ${previous}` : ""}${back}`;
  return `${heading(result, state, terminal)}\n${showTotals(result, terminal, now)}${showCost(result, terminal)}${showLink(result, now)}`;
}

/** A preview's address is what it is for: it stands alone on the last line. */
function showLink({ preview, url, dryRun, destination, release }: DeliveryResult, now: Date): string {
  if (!preview || url === undefined || dryRun) return "";
  const [of = "", name = ""] = destination.split(":");
  const call = `rcourier redeliver ${name}@${release} --to ${of}`;
  return `\n  a preview, for ${showTime(preview.until, now)}\n  just this goes live by ${call}\n\n${url}\n`;
}

/** What visitors who have never been here have to load, where that changes by what can be seen. */
function showFirstVisit({ firstVisit }: DeliveryResult): string {
  if (!firstVisit) return "";
  const { page, before, after, by } = firstVisit;
  if (showBytes(before) === showBytes(after)) return "";
  const names = by.length === 0 || after < before ? "" : `: ${listed(by.map(clean), 3)}`;
  return `\na first visit to ${clean(page)} ${after > before ? "grows" : "shrinks"} from ${showBytes(before)} to ${showBytes(after)}${names}\n`;
}

const isEmpty = ({ release, previous, changes, invalidation }: DeliveryResult): boolean =>
  release === previous && changes.length === 0 && invalidation.edges.length === 0;

const heading = ({ site, destination }: DeliveryResult, what: string, { style }: Terminal): string =>
  `${style("strong", `${clean(site)}, ${destination}`)}: ${what}\n`;

function showTotals(result: DeliveryResult, terminal: Terminal, now: Date): string {
  const { counts, bytes, kept, pruned, heldBack, warnings, dryRun } = result;
  const rows: [string, string, string, string][] = [
    [dryRun ? "to send" : "sent", ...toWritten(result, "sending"), ""],
    [dryRun ? "to copy" : "copied", ...toWritten(result, "copying"), "inside the store: "],
  ].map(([name = "", count = "", kinds = "", where = ""], index) => [
    name,
    count,
    showBytes(index === 0 ? bytes.sent : bytes.copied),
    where + kinds,
  ]);
  rows.push(
    ["unchanged", counted(counts.unchanged, "file"), showBytes(bytes.unchanged), ""],
    [
      dryRun ? "to remove" : "removed",
      counted(pruned.length, "file"),
      "",
      pruned.slice(0, 2).map(clean).join(", ") + (pruned.length > 2 ? ", …" : ""),
    ],
    [
      "held back",
      counted(heldBack.length, "file"),
      "",
      `${listed(heldBack.map(clean))}: until the edge has confirmed`,
    ],
    ["kept", counted(kept.length, "file"), "", keptUntil(result, now)],
    [
      "aliases",
      counted(result.generated.written, "object"),
      "",
      "made so that every promised form of a page's address answers",
    ],
    ["at the edge", ...toRuleCounts(result)],
    ["foreign", counted(counts.foreign, "object"), "", "not ours, left alone"],
  );
  const shown = rows.filter(([, count]) => !count.startsWith("0 "));
  const widths = [0, 1, 2].map((column) => largest(shown.map((row) => (row[column] as string).length)));
  const lines = shown.map(([name, count, size, note]) =>
    `  ${name.padEnd(widths[0] ?? 0)}  ${count.padStart(widths[1] ?? 0)}  ${size.padStart(widths[2] ?? 0)}  ${terminal.style("faint", note)}`.trimEnd(),
  );
  const notes = warnings.map((warning) => `${terminal.style("warn", "note:")} ${clean(warning)}\n`).join("");
  return `${lines.join("\n")}\n${showFirstVisit(result)}${showInvalidation(result.invalidation, result.dryRun, terminal)}${showVerification(result, terminal)}${notes === "" ? "" : `\n${notes}`}`;
}

const showVerification = ({ verification }: DeliveryResult, terminal: Terminal): string =>
  verification ? `\n${showFindings(verification, terminal)}` : "";

/** How many rules of the edge change, and what they are. */
function toRuleCounts({ edgeRules }: DeliveryResult): [count: string, size: string, note: string] {
  if (!edgeRules) return ["0 rules", "", ""];
  const { changes, drifted } = edgeRules;
  return drifted
    ? ["all rules", "", "somebody had changed them there"]
    : [counted(changes.length, "rule"), "", countRules(changes)];
}

/** What the edge does otherwise, rule by rule. */
function toRuleLines({ edgeRules }: DeliveryResult, { style }: Terminal): string[] {
  if (!edgeRules) return [];
  if (edgeRules.drifted) return ["all rules of the release that is live: somebody had changed them there"];
  return edgeRules.changes.map((one) => `${clean(showRule(one))}  ${style("faint", one.change)}`);
}

/** How many files are written in one of the two ways, and as what. */
function toWritten({ changes }: DeliveryResult, how: "sending" | "copying"): [string, string] {
  const written = changes.filter(({ by }) => by === how);
  const kinds = KINDS.map(([kind]): [number, string] => [
    written.filter(({ change }) => change === kind).length,
    kind,
  ]);
  return [counted(written.length, "file"), parts(...kinds)];
}

function showCost({ phases, requests, url, dryRun, preview }: DeliveryResult, { style }: Terminal): string {
  const total = phases.reduce((sum, { seconds }) => sum + seconds, 0);
  const { retried, ...kinds } = requests;
  const asked = Object.entries(kinds).filter(([, count]) => count > 0);
  const sum = asked.reduce((all, [, count]) => all + count, 0);
  // What took next to nothing says nothing.
  const long = phases.filter(({ seconds }) => seconds >= 0.02 || seconds >= total / 2);
  const times = long.map(({ name, seconds }) => `${name} ${seconds.toFixed(2)}`).join(", ");
  const lines = [
    `  ${showSeconds(total)}: ${times}`,
    `  ${counted(sum, "request")} to the store: ${asked.map(([kind, count]) => `${count} ${kind}`).join(", ")}${retried > 0 ? `; ${retried} tried again` : ""}`,
  ];
  return `\n${lines.map((line) => `${style("faint", line)}\n`).join("")}${url === undefined || dryRun || preview ? "" : `\n  ${url}\n`}`;
}

function toBlock(title: string, lines: readonly string[], all: boolean): string {
  if (lines.length === 0) return "";
  const shown = all ? lines : lines.slice(0, MOST_NAMES);
  const rest = lines.length - shown.length;
  return `  ${title}\n${shown.map((line) => `    ${line}\n`).join("")}${rest > 0 ? `    and ${rest} more: --all\n` : ""}`;
}

/** Name, size, role and, where it says more than the heading, the reason. */
function toLines(members: Changes, width: number, { style }: Terminal): string[] {
  return members.map(({ key, role, size, reason }) => {
    const why = isPlainReason(reason) ? "" : `, ${clean(reason)}`;
    return `${fill(clean(key), width)}  ${showBytes(size).padStart(8)}  ${style("faint", role + why)}`;
  });
}

const parts = (...counts: readonly [number, string][]): string =>
  counts
    .filter(([count]) => count > 0)
    .map(([count, word]) => `${count} ${word}`)
    .join(", ");

function keptUntil({ kept, release, dryRun, invalidation: { owed } }: DeliveryResult, now: Date): string {
  const [last] = kept.map(({ until }) => until).sort((a, b) => (a.at < b.at ? 1 : -1));
  if (!last) return "";
  const isOver = Date.parse(last.at) <= now.getTime();
  const conditions = [
    ...(isOver && last.release <= release ? [] : [`until release ${last.release} at least`]),
    ...(isOver ? [] : [showTime(last.at, now)]),
    ...(owed.length > 0 && !dryRun ? ["until every edge has confirmed"] : []),
  ];
  return `for open tabs: ${conditions.length > 0 ? conditions.join(", and ") : "until the next delivery"}`;
}

import type { AddressSums, Sums } from "../../core/traffic/traffic.ts";
import type { TrafficResult } from "../../results/traffic.ts";
import { showBytes, showShortly } from "../../words/numbers.ts";
import { counted, grouped } from "../../words/text.ts";
import { AGENT_NAMES, GROUP_NAMES, showShare } from "../../words/traffic.ts";
import { clean, type Terminal } from "../frame/terminal.ts";
import { toTable } from "./table.ts";
import { showMissing } from "./show-missing.ts";
import { showDeliveries, showNeverHit } from "./show-hits.ts";

/** What is shown of each list, and of all with `--all`. */
const MOST_SHOWN = 8;

/** What logs tell, the whole first, then what can be mended. */
export function showTraffic(
  result: TrafficResult,
  terminal: Terminal,
  { all }: { readonly all: boolean },
): string {
  const most = all ? Infinity : MOST_SHOWN;
  const { style } = terminal;
  const parts = [
    showWhole(result, terminal),
    showGroups(result, terminal),
    showMissing(result, terminal, most),
    showDeliveries(result, terminal),
    showNeverHit(result, terminal),
    showAddresses("asked for most", result.addresses.slice(0, most), terminal),
    showAddresses("slowest", result.slowest.slice(0, all ? Infinity : 3), terminal),
    result.referrers.length === 0
      ? ""
      : `${style("strong", "come from")}\n${toTable(result.referrers.slice(0, most).map(({ host, requests }) => [clean(host), grouped(requests)]))}`,
  ];
  return parts.filter((part) => part !== "").join("\n");
}

const day = (at: string): string => `${at.slice(0, 10)} ${at.slice(11, 16)}`;

function showWhole(result: TrafficResult, { style }: Terminal): string {
  const { destination, lines, from, until, all, statuses, agents, cut } = result;
  if (from === undefined || until === undefined)
    return `${style("strong", clean(destination))}: no request\n`;
  const shares = agents
    .filter(({ requests }) => requests > 0)
    .map(({ kind, requests }) => `${AGENT_NAMES[kind]} ${showShare(requests / all.requests)}`);
  const left = [
    ...(lines.own > 0 ? [`${grouped(lines.own)} of rcourier itself`] : []),
    ...(lines.otherMethods > 0 ? [`${grouped(lines.otherMethods)} by other methods than GET and HEAD`] : []),
  ];
  const others = [
    ...(lines.unreadable > 0 ? [`${counted(lines.unreadable, "line")} could not be read`] : []),
    ...(cut.length > 0 ? [`cut off in the middle: ${cut.map(clean).join(", ")}`] : []),
  ];
  return [
    `${style("strong", clean(destination))}: ${counted(all.requests, "request")}, ${showBytes(all.bytes)}, from ${day(from)} to ${day(until)} UTC\n`,
    `  ${all.hitRate === undefined ? "the log does not say what was a hit" : `hits ${showShare(all.hitRate)}`}; ${statuses.map(({ status, requests }) => `${status}: ${grouped(requests)}`).join(", ")}\n`,
    `  asked by ${shares.join(", ")}${left.length === 0 ? "" : `; left out: ${left.join(", ")}`}\n`,
    ...others.map((line) => style("warn", `  ${line}\n`)),
  ].join("");
}

const showSums = ({ requests, bytes, hitRate, cache }: Sums): string[] => [
  grouped(requests),
  showBytes(bytes),
  showShare(hitRate),
  cache.miss === 0 ? "" : grouped(cache.miss),
];

const COLUMNS = ["requests", "sent", "hits", "to the origin"] as const;

/** A table with faint headings. */
function withHead(
  head: readonly string[],
  rows: readonly (readonly string[])[],
  { style }: Terminal,
): string {
  const [first = "", ...others] = toTable([head, ...rows]).split(/(?<=\n)/);
  return style("faint", first) + others.join("");
}

const showGroups = ({ groups }: TrafficResult, terminal: Terminal): string =>
  withHead(
    ["", ...COLUMNS],
    groups.map(({ group, ...sums }) => [GROUP_NAMES[group], ...showSums(sums)]),
    terminal,
  );

function showAddresses(title: string, addresses: readonly AddressSums[], terminal: Terminal): string {
  if (addresses.length === 0) return "";
  const isTimed = addresses.some(({ seconds }) => seconds !== undefined);
  const rows = addresses.map((one) => [
    clean(one.address),
    ...showSums(one),
    ...(one.seconds ? [showShortly(one.seconds.mean), showShortly(one.seconds.most)] : []),
  ]);
  const head = ["", ...COLUMNS, ...(isTimed ? ["mean time", "longest"] : [])];
  return `${terminal.style("strong", title)}\n${withHead(head, rows, terminal)}`;
}

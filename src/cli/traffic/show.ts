import type { AddressSums, Sums } from "../../core/traffic/traffic.ts";
import type { TrafficResult } from "../../results/traffic.ts";
import { showBytes, showShortly } from "../../words/numbers.ts";
import { counted, grouped } from "../../words/text.ts";
import { AGENT_NAMES, GROUP_NAMES, showMinute, showShare } from "../../words/traffic.ts";
import { toFacts, type Fact } from "../frame/facts.ts";
import { toHead, toTitle, type Sheet } from "../frame/sheet.ts";
import { toTable } from "../frame/table.ts";
import { showMissing } from "./show-missing.ts";
import { showDeliveries, showNeverHit } from "./show-hits.ts";

/** What is shown of each list, and of all with `--all`. */
const MOST_SHOWN = 8;

/** What logs tell, the whole first, then what can be mended. */
export function showTraffic(result: TrafficResult, sheet: Sheet, { all }: { readonly all: boolean }): string {
  const most = all ? Infinity : MOST_SHOWN;
  const head = toHead(sheet, ["visitors", result.destination], toSentence(result));
  const whole = toFacts(sheet, toWhole(result));
  if (result.all.requests === 0) return head + whole;
  const parts = [
    whole,
    showGroups(result, sheet),
    showMissing(result, sheet, most),
    showDeliveries(result, sheet),
    showNeverHit(result, sheet),
    showAddresses("asked for most", result.addresses.slice(0, most), sheet),
    showAddresses("slowest", result.slowest.slice(0, all ? Infinity : 3), sheet),
    showReferrers(result, sheet, most),
  ];
  return `${head}\n${parts.filter((part) => part !== "").join("\n")}`;
}

function toSentence({ from, until, all }: TrafficResult): string {
  if (from === undefined || until === undefined) return "The logs have no request to the site.";
  const hits =
    all.hitRate === undefined ? "The logs do not say what was a hit." : `Hits: ${showShare(all.hitRate)}.`;
  return `${counted(all.requests, "request")}, ${showBytes(all.bytes)}, from ${showMinute(from)} to ${showMinute(until)} UTC. ${hits}`;
}

/** All requests together. */
function toWhole({ lines, all, statuses, agents, cut }: TrafficResult): Fact[] {
  const shares = agents
    .filter(({ requests }) => requests > 0)
    .map(({ kind, requests }) => `${AGENT_NAMES[kind]} ${showShare(requests / all.requests)}`);
  const left = [
    ...(lines.own > 0 ? [`${grouped(lines.own)} of rcourier itself`] : []),
    ...(lines.otherMethods > 0 ? [`${grouped(lines.otherMethods)} by other methods than GET and HEAD`] : []),
  ];
  const unread = [
    ...(lines.unreadable > 0 ? [counted(lines.unreadable, "line")] : []),
    ...(cut.length > 0 ? [`cut off in the middle: ${cut.join(", ")}`] : []),
  ];
  const toFact = (label: string, words: readonly string[]): Fact => ({
    label,
    lines: words.length === 0 ? [] : [{ text: words.join(", ") }],
  });
  return [
    toFact(
      "answers",
      statuses.map(({ status, requests }) => `${status}: ${grouped(requests)}`),
    ),
    toFact("asked by", shares),
    toFact("left out", left),
    toFact("not read", unread),
  ];
}

const showSums = ({ requests, bytes, hitRate, cache }: Sums): string[] => [
  grouped(requests),
  showBytes(bytes),
  showShare(hitRate),
  cache.miss === 0 ? "" : grouped(cache.miss),
];

const COLUMNS = ["requests", "sent", "hits", "to the origin"] as const;

const showGroups = ({ groups }: TrafficResult, sheet: Sheet): string =>
  toTable(
    sheet,
    groups.map(({ group, ...sums }) => [GROUP_NAMES[group], ...showSums(sums)]),
    { head: ["", ...COLUMNS], left: [0], least: 4 },
  );

function showAddresses(title: string, addresses: readonly AddressSums[], sheet: Sheet): string {
  if (addresses.length === 0) return "";
  const isTimed = addresses.some(({ seconds }) => seconds !== undefined);
  const rows = addresses.map((one) => [
    one.address,
    ...showSums(one),
    ...(one.seconds ? [showShortly(one.seconds.mean), showShortly(one.seconds.most)] : []),
  ]);
  const head = ["", ...COLUMNS, ...(isTimed ? ["mean time", "longest"] : [])];
  return toTitle(sheet, title) + toTable(sheet, rows, { head, left: [0], names: 0, least: 4 });
}

function showReferrers({ referrers }: TrafficResult, sheet: Sheet, most: number): string {
  if (referrers.length === 0) return "";
  const rows = referrers.slice(0, most).map(({ host, requests }) => [host, grouped(requests)]);
  return toTitle(sheet, "come from") + toTable(sheet, rows, { left: [0], names: 0, least: 2 });
}

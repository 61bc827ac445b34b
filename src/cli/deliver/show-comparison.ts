import type { DeliveryResult } from "../../results/delivery.ts";
import { showRule } from "../../words/edge-rules.ts";
import { isPlainReason, showRole } from "../../words/reasons.ts";
import { toHead, toNames, toNext, toRows, toText, type Named, type Row, type Sheet } from "../frame/sheet.ts";
import { clean, type Mark } from "../frame/terminal.ts";
import { showInvalidation } from "../invalidate/show.ts";
import { files, keptUntil, showFirstVisit, showWarnings } from "./show.ts";
import { changesOf, comparedOf, isIdle } from "../frame/standing.ts";

/** How many names of one kind are shown before the rest is counted. */
const MOST_NAMES = 8;

type Changes = DeliveryResult["changes"];

interface Section {
  readonly kinds: readonly Changes[number]["change"][];
  readonly before?: string;
  readonly what: string;
  readonly mark?: Mark;
}

const SECTIONS: readonly Section[] = [
  { kinds: ["new"], before: "new ", what: "to send", mark: "good" },
  { kinds: ["moved"], what: "to copy inside the store, which has these bytes already", mark: "good" },
  { kinds: ["replaced"], what: "to replace", mark: "warn" },
  { kinds: ["relabelled"], what: "to give new headers, inside the store", mark: "warn" },
  {
    kinds: ["drifted", "missing"],
    what: "to put back: somebody changed or removed them outside this tool",
    mark: "bad",
  },
];

export interface ComparisonView {
  readonly all: boolean;
  readonly now: Date;
  /** The call that does it; absent: it is about to be done. */
  readonly next?: string;
}

/** What a delivery would do, file by file. */
export function showComparison(result: DeliveryResult, sheet: Sheet, view: ComparisonView): string {
  const { words } = comparedOf(result);
  const { all, now, next } = view;
  const unchanged = result.changes.filter(({ change }) => change === "unchanged");
  const kept = [...new Set(result.kept.map(({ key }) => key))];
  const { counts, bytes, pruned, generated } = result;
  const blocks = [
    ...SECTIONS.map((section) => toSection(section, result, sheet, all)),
    toBlock({ count: pruned.length, what: "to remove", mark: "bad" }, pruned, sheet, all),
    toBlock({ count: kept.length, what: `kept for open tabs: ${keptUntil(result, now)}` }, kept, sheet, all),
    showRules(result, sheet, all),
    toRows(sheet, [
      {
        count: generated.written,
        what: generated.written === 1 ? "extra copy to make" : "extra copies to make",
        note: "so that /news/ answers as well as /news/index.html",
      },
    ]),
    toRows(sheet, [
      { count: counts.unchanged, what: `${files(counts.unchanged)} unchanged`, bytes: bytes.unchanged },
    ]) + toNames(sheet, unchanged.map(toNamed), { most: 0, all: true }),
  ];
  return [
    toHead(sheet, [result.site, result.destination], words),
    "\n",
    blocks.filter((block) => block !== "").join("\n"),
    showFirstVisit(result, sheet),
    showInvalidation(result.invalidation, true, sheet),
    showWarnings(result, sheet),
    next === undefined || isIdle(result) ? "" : toNext(sheet, next),
  ].join("");
}

function toSection(
  { kinds, before = "", what, mark }: Section,
  result: DeliveryResult,
  sheet: Sheet,
  all: boolean,
): string {
  const members = changesOf(result).filter(({ change }) => kinds.includes(change));
  if (members.length === 0) return "";
  const bytes = members.reduce((sum, { size }) => sum + size, 0);
  const row = { count: members.length, what: `${before}${files(members.length)} ${what}`, bytes, mark };
  return toRows(sheet, [row]) + toNames(sheet, members.map(toNamed), { most: MOST_NAMES, all });
}

/** Name, size, role and, where it says more than the heading, the reason. */
function toNamed({ key, role, size, reason, change }: Changes[number]): Named {
  const why = isPlainReason(reason) || change === "unchanged" ? "" : `, ${clean(reason)}`;
  return { name: key, bytes: size, note: showRole(role) + why };
}

function toBlock(row: Row, names: readonly string[], sheet: Sheet, all: boolean): string {
  if (row.count === 0) return "";
  const list = names.map((name) => ({ name }));
  const head = toRows(sheet, [{ ...row, what: `${files(row.count)} ${row.what}` }]);
  return head + toNames(sheet, list, { most: MOST_NAMES, all });
}

/** What the edge does otherwise, rule by rule. */
function showRules({ edgeRules }: DeliveryResult, sheet: Sheet, all: boolean): string {
  if (!edgeRules) return "";
  const { changes, drifted } = edgeRules;
  if (drifted)
    return `${toRows(sheet, [{ count: 1, what: "edge to set up anew", mark: "warn" }])}${toText(sheet, "Somebody changed its rules outside this tool; the release's own are put back.")}`;
  const what = `${changes.length === 1 ? "rule" : "rules"} of the edge to change`;
  const names = changes.map((one) => ({ name: showRule(one), note: one.change }));
  return (
    toRows(sheet, [{ count: changes.length, what, mark: "warn" }]) +
    toNames(sheet, names, { most: MOST_NAMES, all })
  );
}

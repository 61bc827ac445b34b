import { countRules, showRule } from "../../words/edge-rules.ts";
import type {
  HoldResult,
  OneReleaseResult,
  ReleaseComparisonResult,
  ReleaseListResult,
} from "../../results/history.ts";
import { toHead, toMargin, toNames, toNext, toRows, toText, type Sheet } from "../frame/sheet.ts";
import { toTable } from "../frame/table.ts";
import { clean, type Mark } from "../frame/terminal.ts";
import { showRole } from "../../words/reasons.ts";
import { counted, listed } from "../../words/text.ts";
import { showBytes, showTime } from "../../words/numbers.ts";

/** Names of one kind that are shown before the rest is counted. */
const MOST_FILES = 20;
const MOST_CHANGES = 12;

type Release = ReleaseListResult["releases"][number];

export interface ReleasesView {
  readonly now: Date;
  /** Another call about the same destination. */
  readonly callLike: (words: string) => string;
}

export function showReleaseList(
  result: ReleaseListResult,
  sheet: Sheet,
  { now, callLike }: ReleasesView,
): string {
  const rows = result.releases.map((release) => [
    `${release.release}`,
    describe(release),
    showTime(release.at, now),
    counted(release.files, "file"),
    showBytes(release.bytes),
    clean(release.by),
  ]);
  const owed = result.owed.reduce((sum, { addresses }) => sum + addresses.length, 0);
  const others = result.releases.filter(({ isCurrent }) => !isCurrent).length;
  return [
    toHead(sheet, [result.destination], showCount(result)),
    "\n",
    toTable(sheet, rows, { left: [1, 2, 5], least: 3 }),
    ...result.unreadable.map((release) => sheet.style("bad", `   ${release}   its record can't be read\n`)),
    ...(result.heldBack.length > 0
      ? [
          `\n${toText(sheet, `These files wait until the edge has confirmed: ${listed(result.heldBack.map(clean))}`, "warn", 3)}`,
        ]
      : []),
    ...(owed > 0
      ? [
          `\n${toText(sheet, `The edge has not confirmed ${counted(owed, "address", "addresses")} yet: visitors may get old copies.`, "warn", 3)}`,
          toNext(sheet, callLike("deliver"), "asks the edge again"),
        ]
      : others > 0
        ? [toNext(sheet, callLike("redeliver previous"), "puts the release before the current one back")]
        : []),
  ].join("");
}

function showCount({ releases }: ReleaseListResult): string {
  const current = releases.find(({ isCurrent }) => isCurrent);
  const others = releases.length - (current ? 1 : 0);
  const back =
    others === 0
      ? "no earlier one can be put back yet"
      : `${others} earlier ${others === 1 ? "one" : "ones"} can be put back`;
  return `release ${current?.release ?? "?"} is live; ${back}.`;
}

function describe({ release, isCurrent, redelivers, takenFrom, commit, note, sequence }: Release): string {
  return [
    ...(isCurrent ? ["live"] : []),
    ...(release === 0 ? ["before this tool"] : []),
    ...(redelivers === undefined ? [] : [`puts back ${redelivers}`]),
    ...(takenFrom === undefined ? [] : [`from ${clean(takenFrom)}`]),
    ...(sequence === undefined ? [] : [`build number ${sequence}`]),
    ...(commit === undefined ? [] : [clean(commit).slice(0, 12)]),
    ...(note === undefined || release === 0 ? [] : [clean(note)]),
  ].join(", ");
}

export function showOneRelease(
  result: OneReleaseResult,
  sheet: Sheet,
  { all, now, callLike }: ReleasesView & { readonly all: boolean },
): string {
  const facts: [string, string][] = [
    ["made", `${showTime(result.at, now)} by ${clean(result.by)}`],
    ["after", result.previous === 0 ? "nothing: it is the first" : `release ${result.previous}`],
    ...(result.takenFrom === undefined ? [] : [["from", clean(result.takenFrom)] as [string, string]]),
    ...(result.redelivers === undefined
      ? []
      : [["puts back", `release ${result.redelivers}`] as [string, string]]),
    ...(result.sequence === undefined ? [] : [["build", `number ${result.sequence}`] as [string, string]]),
    ...(result.commit === undefined ? [] : [["commit", clean(result.commit)] as [string, string]]),
    ...(result.note === undefined ? [] : [["note", clean(result.note)] as [string, string]]),
  ];
  const files = result.parcels.map(({ key, role, size, aliasOf, redirectsTo, isHeldBack }) => ({
    name: key,
    bytes: size,
    note: [
      showRole(role),
      ...(aliasOf === undefined ? [] : [`a copy of ${clean(aliasOf)}`]),
      ...(redirectsTo === undefined ? [] : [`leads to ${clean(redirectsTo)}`]),
      ...(isHeldBack === true ? ["waits until the edge has confirmed"] : []),
    ].join(", "),
  }));
  const standing = result.standing.map(({ key, size, lastIn }) => ({
    ...{ name: key, bytes: size },
    note: `last in release ${lastIn}`,
  }));
  const what = `${result.files === 1 ? "file" : "files"} in this release`;
  return [
    toHead(
      sheet,
      [result.destination],
      `release ${result.release}${result.isCurrent ? " is live." : ", an earlier one that can be put back."}`,
    ),
    "\n",
    ...facts.map(([label, words]) => toMargin(sheet, { label, words, mark: "faint", at: 3, wordsAt: 14 })),
    "\n",
    toRows(sheet, [{ count: result.files, what, bytes: result.bytes }]),
    toNames(sheet, files, { most: MOST_FILES, all }),
    ...(standing.length > 0
      ? [
          "\n",
          toRows(sheet, [
            {
              count: standing.length,
              what: `${standing.length === 1 ? "file" : "files"} kept for open tabs`,
            },
          ]),
          toNames(sheet, standing, { most: MOST_FILES, all }),
        ]
      : []),
    result.isCurrent ? "" : toNext(sheet, callLike(`redeliver ${result.release}`), "puts it back"),
  ].join("");
}

const MARKS: Readonly<Record<string, Mark>> = {
  new: "good",
  moved: "good",
  replaced: "warn",
  relabelled: "warn",
  removed: "bad",
};

const TITLES: Readonly<Record<string, string>> = {
  new: "new",
  moved: "moved: the same bytes had another name",
  replaced: "replaced: other content",
  relabelled: "with new headers",
  removed: "removed",
};

export function showReleaseComparison(
  { destination, from, to, counts, changes, edgeRules }: ReleaseComparisonResult,
  sheet: Sheet,
  { all }: { all: boolean },
): string {
  const total = changes.length;
  const differs = [
    ...(total > 0 ? [counted(total, "file")] : []),
    ...(edgeRules.length > 0 ? [`${counted(edgeRules.length, "rule")} of the edge`] : []),
  ].join(" and ");
  const sentence =
    differs === ""
      ? `releases ${from} and ${to} do not differ.`
      : `release ${to} differs from release ${from} in ${differs}.`;
  const kinds = Object.entries(counts).filter(([, count]) => count > 0);
  const blocks = kinds.map(([kind, count]) => {
    const members = changes
      .filter(({ change }) => change === kind)
      .map(({ key, role, size }) => ({ name: key, bytes: size, note: showRole(role) }));
    const what = `${count === 1 ? "file" : "files"} ${TITLES[kind] ?? kind}`;
    return `\n${toRows(sheet, [{ count, what, mark: MARKS[kind] }])}${toNames(sheet, members, { most: MOST_CHANGES, all })}`;
  });
  const rules = edgeRules.map((one) => ({ name: showRule(one), note: one.change }));
  const atEdge =
    rules.length === 0
      ? ""
      : `\n${toRows(sheet, [{ count: rules.length, what: "rules of the edge", note: countRules(edgeRules) }])}${toNames(sheet, rules, { most: MOST_CHANGES, all })}`;
  return toHead(sheet, [destination], sentence) + blocks.join("") + atEdge;
}

export function showHoldResult({ destination, isHeld, hold }: HoldResult, sheet: Sheet, now: Date): string {
  if (!hold)
    return toHead(
      sheet,
      [destination],
      isHeld
        ? "a run has the hold, but its record can't be read."
        : "no run has the hold, and none ever had.",
    );
  const facts = [
    ["run", `${clean(hold.work)}, by ${clean(hold.by)} on ${clean(hold.host)} (process ${hold.process})`],
    ["taken", showTime(hold.at, now)],
    ["record", clean(hold.run)],
    ...(isHeld ? [["ends", `${hold.leaseSeconds} s after the run has last renewed it`]] : []),
  ] as const;
  return [
    toHead(
      sheet,
      [destination],
      isHeld ? "a run has the hold: no other one can write." : "no run has the hold. The last one was this:",
    ),
    "\n",
    ...facts.map(([label, words]) => toMargin(sheet, { label, words, mark: "faint", at: 3, wordsAt: 12 })),
  ].join("");
}

import { counted, listed } from "../../words/text.ts";
import type { PruneResult } from "../../results/history.ts";
import { showBytes } from "../../words/numbers.ts";
import { toHead, toNames, toNext, toRows, toText, type Sheet } from "../frame/sheet.ts";
import { clean, type Mark } from "../frame/terminal.ts";

const REASONS: Readonly<Record<string, readonly [one: string, more: string, why: string]>> = {
  stale: ["old file", "old files", "no release that can be put back has them"],
  forgotten: ["object", "objects", "for good, because of --forget"],
  foreign: ["foreign object", "foreign objects", "not delivered by this tool; because of --foreign"],
  content: [
    "old version in the vault",
    "old versions in the vault",
    "no release that can be put back needs them",
  ],
  record: ["record of a release", "records of releases", "those can no longer be put back"],
  "ended run": ["record of a run", "records of runs", "those have ended"],
};

/** Names of one kind that are shown before the rest is counted. */
const MOST_NAMES = 12;

export interface PruneView {
  readonly all: boolean;
  /** Another call about the same destination. */
  readonly callLike: (words: string) => string;
  /** The same call, which removes what this one shows; absent: it is about to be done. */
  readonly again?: string;
}

export function showPrune(result: PruneResult, sheet: Sheet, { all, callLike, again }: PruneView): string {
  const { destination, dryRun, removed, waiting, owed } = result;
  const blocks = Object.entries(REASONS).flatMap(([why, [one, more, note]]) => {
    const members = removed.filter((object) => object.why === why);
    if (members.length === 0) return [];
    const names = members.map(({ key, size }) => ({ name: key, bytes: size }));
    const row = { count: members.length, what: members.length === 1 ? one : more, note };
    return [`\n${toRows(sheet, [row])}${toNames(sheet, names, { most: MOST_NAMES, all })}`];
  });
  const next =
    waiting.length > 0 || (owed.length > 0 && !dryRun)
      ? toNext(sheet, callLike("deliver"), "then prune again")
      : dryRun && removed.length > 0 && again !== undefined
        ? toNext(sheet, again)
        : "";
  return [
    toHead(sheet, [destination], showVerdict(result)),
    ...blocks,
    ...showInPreviews(result, sheet, all),
    "\n",
    ...showRest(result, sheet),
    next,
  ].join("");
}

function showVerdict({ dryRun, removed, bytes, previews = [] }: PruneResult): string {
  const verb = (count: number): string => (dryRun ? "would be" : count === 1 ? "was" : "were");
  const gone = `${counted(previews.length, "preview")} ${verb(previews.length)} removed`;
  if (removed.length > 0)
    return `${counted(removed.length, "object")}, ${showBytes(bytes)}, ${verb(removed.length)} removed.`;
  return previews.length > 0
    ? `${gone}, and nothing else: everything else is needed.`
    : `nothing ${dryRun ? "would be" : "was"} removed: everything is needed.`;
}

/** What there is to know besides. */
function showRest(
  { dryRun, waiting, retained, foreign, owed, versions, previews = [] }: PruneResult,
  sheet: Sheet,
): string[] {
  const say = (words: string, mark?: Mark): string => toText(sheet, words, mark, 3);
  return [
    ...(versions > 0
      ? [say(`${counted(versions, "earlier version")} of these files, which the bucket had kept, went too.`)]
      : []),
    ...(previews.length > 0
      ? [
          say(
            `These previews are past their time and ${dryRun ? "would be" : "were"} removed: ${listed(previews.map(clean), 20)}.`,
          ),
        ]
      : []),
    say(`You can put back ${counted(retained.length, "release")}: ${retained.join(", ")}.`),
    ...(waiting.length > 0
      ? [
          say(
            `${counted(waiting.length, "old file stays", "old files stay")}: pages that an edge still has, or that a dead run left, may need ${waiting.length === 1 ? "it" : "them"}.`,
            "warn",
          ),
        ]
      : []),
    ...(foreign.length > 0
      ? [
          say(
            `${counted(foreign.length, "foreign object")} not delivered by this tool ${foreign.length === 1 ? "was" : "were"} left alone; --foreign shows and removes them.`,
          ),
        ]
      : []),
    ...(owed.length > 0
      ? [
          say(
            dryRun
              ? `An edge has not confirmed ${counted(owed.length, "address", "addresses")} yet. Prune asks it first; old files go only if it confirms.`
              : `An edge has not confirmed ${counted(owed.length, "address", "addresses")} yet.`,
            "warn",
          ),
        ]
      : []),
  ];
}

/** What went from previews that had a content which is removed for good. */
function showInPreviews({ inPreviews = [], dryRun }: PruneResult, sheet: Sheet, all: boolean): string[] {
  const verb = dryRun ? "to remove" : "removed";
  return inPreviews.map(({ preview, removed, versions }) => {
    const what = `${removed.length === 1 ? "object" : "objects"} ${verb} from the preview ${clean(preview)}`;
    const note = versions > 0 ? `and ${counted(versions, "earlier version")} that the bucket had kept` : "";
    const names = removed.map(({ key, size, why }) => ({ name: key, bytes: size, note: why }));
    return `\n${toRows(sheet, [{ count: removed.length, what, note }])}${toNames(sheet, names, { most: MOST_NAMES, all })}`;
  });
}

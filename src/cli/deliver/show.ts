import type { DeliveryResult } from "../../results/delivery.ts";
import { countRules } from "../../words/edge-rules.ts";
import { showBytes, showMoment, showSeconds } from "../../words/numbers.ts";
import { counted, listed } from "../../words/text.ts";
import { toHead, toMargin, toNext, toRows, toText, type Row, type Sheet } from "../frame/sheet.ts";
import { clean } from "../frame/terminal.ts";
import { showInvalidation } from "../invalidate/show.ts";
import { showFindings } from "../verify/show.ts";
import { isIdle, standingOf } from "../frame/standing.ts";

export interface DeliveryView {
  readonly now: Date;
  readonly verbose: boolean;
  /** Another call about the same destination. */
  readonly callLike: (words: string) => string;
}

/** What a delivery did, or with `--dry-run` would do. */
export function showDelivery(result: DeliveryResult, sheet: Sheet, view: DeliveryView): string {
  const { words, mark } = standingOf(result);
  const isWork = !isIdle(result);
  return [
    toHead(sheet, [result.site, result.destination], words, mark),
    "\n",
    showTotals(result, sheet, view.now),
    isWork ? showCost(result, sheet, view.verbose) : "",
    showSite(result, sheet),
    showNext(result, sheet, view),
    showAddress(result, sheet),
  ].join("");
}

/** What was done to files, to the edge, and what there is to know: the same for a plan and for a run. */
function showTotals(result: DeliveryResult, sheet: Sheet, now: Date): string {
  const { verification } = result;
  return [
    toRows(sheet, toFileRows(result, now)),
    showFirstVisit(result, sheet),
    showInvalidation(result.invalidation, result.dryRun, sheet),
    verification ? `\n${showFindings(verification, sheet)}` : "",
    showWarnings(result, sheet),
  ].join("");
}

function toFileRows(result: DeliveryResult, now: Date): Row[] {
  const { counts, bytes, kept, pruned, heldBack, dryRun, generated } = result;
  const { new: fresh, replaced, relabelled, moved } = countBy(result);
  const [first = "", ...others] = pruned.map(clean);
  const sent = countWritten(result, "sending");
  const copied = countWritten(result, "copying");
  return [
    {
      count: sent,
      what: `${files(sent)} ${dryRun ? "to send" : "sent"}`,
      bytes: bytes.sent,
      note: joined([fresh.sending, "new"], [replaced.sending, "replaced"], [restored(result), "put back"]),
    },
    {
      count: copied,
      what: `${files(copied)} ${dryRun ? "to copy" : "copied"} inside the store`,
      bytes: bytes.copied,
      note: joined(
        [moved.copying, "moved"],
        [replaced.copying, "replaced"],
        [relabelled.copying, "with new headers"],
        [fresh.copying, "new"],
      ),
    },
    { count: counts.unchanged, what: `${files(counts.unchanged)} unchanged`, bytes: bytes.unchanged },
    {
      count: pruned.length,
      what: `${files(pruned.length)} ${dryRun ? "to remove" : "removed"}`,
      note: others.length > 0 ? `${first} and ${others.length} more` : first,
    },
    {
      count: heldBack.length,
      what: heldBack.length === 1 ? "file waits" : "files wait",
      note: `until the edge has confirmed: ${listed(heldBack.map(clean))}`,
      mark: "warn",
    },
    {
      count: kept.length,
      what: `${files(kept.length)} kept`,
      note: `for open tabs: ${keptUntil(result, now)}`,
    },
    {
      count: generated.written,
      what: `extra ${generated.written === 1 ? "copy" : "copies"}`,
      note: "so that /news/ answers as well as /news/index.html",
    },
    ...toRuleRow(result),
  ];
}

export const files = (count: number): string => (count === 1 ? "file" : "files");

type Kind = "new" | "replaced" | "relabelled" | "moved";

function countBy({ changes }: DeliveryResult): Record<Kind, { sending: number; copying: number }> {
  const count = (kind: Kind): { sending: number; copying: number } => {
    const ofKind = changes.filter(({ change }) => change === kind);
    const sending = ofKind.filter(({ by }) => by === "sending").length;
    return { sending, copying: ofKind.filter(({ by }) => by === "copying").length };
  };
  return {
    new: count("new"),
    replaced: count("replaced"),
    relabelled: count("relabelled"),
    moved: count("moved"),
  };
}

const restored = ({ changes }: DeliveryResult): number =>
  changes.filter(({ change, by }) => by === "sending" && (change === "drifted" || change === "missing"))
    .length;

const countWritten = ({ changes }: DeliveryResult, how: "sending" | "copying"): number =>
  changes.filter(({ by }) => by === how).length;

const joined = (...counts: readonly (readonly [number, string])[]): string =>
  counts
    .filter(([count]) => count > 0)
    .map(([count, word]) => `${count} ${word}`)
    .join(", ");

/** How many rules of the edge change, and what they are. */
function toRuleRow({ edgeRules, dryRun }: DeliveryResult): Row[] {
  if (!edgeRules) return [];
  const { changes, drifted } = edgeRules;
  const verb = dryRun ? "to change" : "changed";
  if (!drifted)
    return [
      {
        count: changes.length,
        what: `${changes.length === 1 ? "rule" : "rules"} of the edge ${verb}`,
        note: countRules(changes),
      },
    ];
  const what = `edge ${dryRun ? "to set" : "set"} up anew`;
  return [{ count: 1, what, note: "somebody had changed its rules outside this tool" }];
}

/** When what is kept for open tabs goes. */
export function keptUntil(
  {
    kept,
    release,
    dryRun,
    invalidation: { owed },
  }: Pick<DeliveryResult, "kept" | "release" | "dryRun" | "invalidation">,
  now: Date,
): string {
  const [last] = kept.map(({ until }) => until).sort((a, b) => (a.at < b.at ? 1 : -1));
  if (!last) return "";
  const isOver = Date.parse(last.at) <= now.getTime();
  const by = last.release > release ? `with release ${last.release}` : "with the next delivery";
  return [
    `removed ${by}`,
    ...(isOver ? [] : [`not before ${showMoment(last.at)}`]),
    ...(owed.length > 0 && !dryRun ? ["once the edge has confirmed"] : []),
  ].join(", ");
}

/** What visitors who have never been here have to load, where that changes by what can be seen. */
export function showFirstVisit({ firstVisit }: DeliveryResult, sheet: Sheet): string {
  if (!firstVisit) return "";
  const { page, before, after, by } = firstVisit;
  if (showBytes(before) === showBytes(after)) return "";
  const names = by.length === 0 || after < before ? "" : `, because of ${listed(by.map(clean), 3)}`;
  const verb = after > before ? "grows" : "shrinks";
  const words = `A first visit to ${clean(page)} ${verb} from ${showBytes(before)} to ${showBytes(after)}${names}.`;
  return `\n${toText(sheet, words)}`;
}

/** What is worth knowing, and stops nothing. */
export function showWarnings({ warnings }: Pick<DeliveryResult, "warnings">, sheet: Sheet): string {
  if (warnings.length === 0) return "";
  const lines = warnings.map((words) =>
    toMargin(sheet, { label: "warning", words: clean(words), mark: "warn", at: 1, wordsAt: 9 }),
  );
  return `\n${lines.join("")}`;
}

function showCost({ phases, requests }: DeliveryResult, sheet: Sheet, isWhole: boolean): string {
  const total = phases.reduce((sum, { seconds }) => sum + seconds, 0);
  const { retried, ...kinds } = requests;
  const asked = Object.entries(kinds).filter(([, count]) => count > 0);
  const sum = asked.reduce((all, [, count]) => all + count, 0);
  const again = retried > 0 ? `, ${retried} of them tried again` : "";
  const more = isWhole ? "" : "; --verbose lists both";
  const words = `took ${showSeconds(total)} and ${counted(sum, "request")} to the store${again}${more}`;
  if (!isWhole) return `\n${toText(sheet, words, "faint", 3)}`;
  const times = phases.map(({ name, seconds }) => `${name} ${seconds.toFixed(2)} s`).join(", ");
  return [
    `\n${toText(sheet, words, "faint", 3)}`,
    toText(sheet, times, "faint"),
    toText(sheet, asked.map(([kind, count]) => `${count} ${kind}`).join(", "), "faint"),
  ].join("");
}

/** Where visitors see it. */
const showSite = ({ url, dryRun, preview }: DeliveryResult, sheet: Sheet): string =>
  url === undefined || dryRun || preview ? "" : toText(sheet, url, undefined, 3);

/** The call to make now; none where all is done that was asked for. */
function showNext(result: DeliveryResult, sheet: Sheet, { callLike }: DeliveryView): string {
  const { invalidation, dryRun, url, verification, redelivers, takenFrom, preview } = result;
  if (isIdle(result)) return "";
  const isRelease = redelivers !== undefined || takenFrom !== undefined;
  if (dryRun) return isRelease ? "" : toNext(sheet, callLike("deliver"));
  if (invalidation.owed.length > 0)
    return toNext(sheet, callLike(isRelease ? "invalidate --owed" : "deliver"), "asks the edge again");
  if (verification ? verification.findings.length === 0 : url === undefined || preview) return "";
  return toNext(sheet, callLike("verify"));
}

/** Where the site is. A preview's address is what it is for: it stands alone on the last line. */
function showAddress({ preview, url, dryRun, destination, release }: DeliveryResult, sheet: Sheet): string {
  if (!preview || url === undefined || dryRun) return "";
  const [of = "", name = ""] = destination.split(":");
  const call = `rcourier redeliver ${name}@${release} --to ${of}`;
  const until = `This preview stays until ${showMoment(preview.until)}; each delivery prolongs it.`;
  return `\n${toText(sheet, until, undefined, 3)}${toNext(sheet, call, `puts just this live at ${clean(of)}`)}\n${url}\n`;
}

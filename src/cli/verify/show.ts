import type { VerifyResult } from "../../results/verification.ts";
import { largest } from "../../core/model/largest.ts";
import { cutName, toHead, toMargin, toNames, toNext, toRows, toText, type Sheet } from "../frame/sheet.ts";
import { quoted } from "../frame/next-call.ts";
import { clean } from "../frame/terminal.ts";
import { fill, widthOf } from "../frame/width.ts";
import { counted, grouped, listed } from "../../words/text.ts";

type Findings = VerifyResult["findings"];

/** Addresses with the same cause that are named; the rest is counted. */
const MOST_ADDRESSES = 5;
/** An address stands in a column of at most this width; a longer one has its answer below it. */
const MOST_ADDRESS = 44;

export interface VerifyView {
  readonly all: boolean;
  /** The call that verifies once more. */
  readonly again: string;
}

/** `verify`, as a person reads it: from the visitor's side. */
export function showVerify(result: VerifyResult, sheet: Sheet, { all, again }: VerifyView): string {
  const { destination, release, url, requests, heldBack, findings } = result;
  const where = `${counted(requests, "request")} from this machine; another place of the edge may answer differently`;
  return [
    toHead(
      sheet,
      ["visitor", url, destination],
      `release ${release}: ${showVerdict(result)}`,
      findings.length > 0 ? "bad" : "good",
    ),
    "\n",
    findings.length > 0 ? `${showGroups(findings, sheet, all)}\n` : "",
    all ? showRight(result, sheet) : "",
    showHeldBack(heldBack, sheet),
    toText(sheet, where, "faint", 3),
    findings.length > 0 ? toNext(sheet, again, "once they are mended") : "",
  ].join("");
}

function showVerdict({ checked, findings }: Pick<VerifyResult, "checked" | "findings">): string {
  if (findings.length === 0)
    return checked === 1
      ? "the one address answers as delivered, compressed and not."
      : `all ${grouped(checked)} addresses answer as delivered, compressed and not.`;
  const wrong = new Set(findings.map(({ address }) => address)).size;
  const right = checked - wrong;
  return `${grouped(right)} of ${counted(checked, "address", "addresses")} ${right === 1 ? "answers" : "answer"} as delivered; ${grouped(wrong)} ${wrong === 1 ? "does" : "do"} not.`;
}

/** Every address that answers as it should. */
function showRight({ addresses, findings }: VerifyResult, sheet: Sheet): string {
  const wrong = new Set(findings.map(({ address }) => address));
  const right = addresses.filter((address) => !wrong.has(address));
  if (right.length === 0) return "";
  const what = right.length === 1 ? "address answers as delivered" : "addresses answer as delivered";
  const names = right.map((name) => ({ name }));
  return `${toRows(sheet, [{ count: right.length, what, mark: "good" }])}${toNames(sheet, names, { most: 0, all: true })}\n`;
}

function showHeldBack(keys: readonly string[], sheet: Sheet): string {
  if (keys.length === 0) return "";
  const what = keys.length === 1 ? "file waits" : "files wait";
  const note = `until the edge has confirmed the pages: ${listed(keys.map(clean))}; the next delivery asks again`;
  return `${toRows(sheet, [{ count: keys.length, what, note, mark: "warn" }])}\n`;
}

/** What `--verify` found after a delivery. */
export function showFindings(
  result: Pick<VerifyResult, "checked" | "findings">,
  sheet: Sheet,
  { all }: { readonly all: boolean } = { all: false },
): string {
  const mark = result.findings.length === 0 ? "good" : "bad";
  const verdict = toText(sheet, `Verified: ${showVerdict(result)}`, mark, 3);
  return result.findings.length === 0 ? verdict : `${verdict}\n${showGroups(result.findings, sheet, all)}`;
}

/** What is wrong, by cause, each with what to do. */
function showGroups(findings: Findings, sheet: Sheet, all: boolean): string {
  const groups = new Map<string, Findings>();
  for (const finding of findings) {
    const key = `${finding.causeCode} ${finding.code}`;
    groups.set(key, [...(groups.get(key) ?? []), finding]);
  }
  return [...groups.values()].map((group) => showGroup(group, sheet, all)).join("\n");
}

function showGroup(group: Findings, sheet: Sheet, all: boolean): string {
  const [first] = group as [Findings[number]];
  const shown = all ? group : group.slice(0, MOST_ADDRESSES);
  const names = shown.map(({ address }) => cutName(sheet, clean(address), sheet.columns - 8));
  const width = Math.max(8, Math.min(largest(names.map(widthOf)), MOST_ADDRESS, sheet.columns - 30));
  const wordsAt = 3 + width + 2;
  const lines = shown.map(({ expected, found }, index) => {
    const name = names[index] ?? "";
    const words = `got ${clean(found)}, expected ${clean(expected)}`;
    // An address that is too long has a line of its own.
    return widthOf(name) > width
      ? `   ${name}\n${toText(sheet, words, undefined, wordsAt)}`
      : toMargin(sheet, { label: fill(name, width), words, mark: "warn", at: 3, wordsAt });
  });
  const rest = group.length - shown.length;
  return [
    ...lines,
    rest > 0 ? `   and ${grouped(rest)} more; --all lists them\n` : "",
    toMargin(sheet, { label: "why", words: clean(first.cause), mark: "warn", at: 6, wordsAt: 13 }),
    toMargin(sheet, { label: "mend", words: clean(toHint(group)), at: 6, wordsAt: 13 }),
  ].join("");
}

/** One call mends all copies of a group. */
function toHint(group: Findings): string {
  const [first] = group as [Findings[number]];
  if (first.causeCode !== "edge-holds-old-copy" || group.length === 1) return first.hint;
  return group.length > MOST_ADDRESSES
    ? "rcourier invalidate --release current"
    : `rcourier invalidate ${group.map(({ address }) => quoted(address)).join(" ")}`;
}

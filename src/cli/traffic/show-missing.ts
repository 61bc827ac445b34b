import type { LateAddress, LetGoAssets, MissingAddress, RemovedAddress } from "../../core/traffic/traffic.ts";
import type { TrafficResult } from "../../results/traffic.ts";
import { counted, grouped } from "../../words/text.ts";
import { showMinute, showRetainMend, SUCCESSOR_REASONS, toRedirectLine } from "../../words/traffic.ts";
import { toNoted, type Noted } from "../frame/facts.ts";
import { toMargin, toRest, toText, toTitle, type Sheet } from "../frame/sheet.ts";

/** Where the addresses of a group begin, and the words beside `mend`. */
const INDENT = 6;
const MEND = 13;

/** What was not found, by its cause, each with what mends it. @param most of each list */
export function showMissing(
  { missing, retain, basePath }: TrafficResult,
  sheet: Sheet,
  most: number,
): string {
  const { requests, letGo, removed, late, never, neverAddresses, neverRequests } = missing;
  if (requests === 0) return toTitle(sheet, "not found: nothing");
  const groups = [
    ...letGo.map((group) => showLetGo(group, sheet, { most, retain })),
    showRemoved(removed, sheet, { most, basePath }),
    showGroup(`there now: ${counted(late.length, "address", "addresses")}`, late.map(toLate), sheet, most),
    showGroup(
      `never there: ${counted(neverAddresses, "address", "addresses")}, ${counted(neverRequests, "request")}`,
      never.map(toNoteOf),
      sheet,
      most,
    ),
  ];
  const title = toTitle(sheet, `not found: ${counted(requests, "request")}`);
  return title + groups.filter((group) => group !== "").join("\n");
}

/** Addresses under the sentence that they have in common. */
function showGroup(title: string, items: readonly Noted[], sheet: Sheet, most: number): string {
  if (items.length === 0) return "";
  return [
    toText(sheet, title, "warn", 3),
    toNoted(sheet, items.slice(0, most), INDENT),
    showRest(items.length - most),
  ].join("");
}

const showRest = (count: number): string =>
  toRest(count, INDENT)
    .map((line) => `${line}\n`)
    .join("");

function showLetGo(
  group: LetGoAssets,
  sheet: Sheet,
  { most, retain }: { readonly most: number; readonly retain: TrafficResult["retain"] },
): string {
  const { release, superseded, addresses, requests, people } = group;
  const of = release === undefined ? "an earlier release" : `release ${release}`;
  const since = superseded === undefined ? "" : `, superseded ${showMinute(superseded)} UTC`;
  const title = `assets of ${of} that stand no more${since}: ${counted(requests, "request")}, ${grouped(people)} by people`;
  return [
    toText(sheet, title, "bad", 3),
    toNoted(sheet, addresses.slice(0, most).map(toNoteOf), INDENT),
    showRest(addresses.length - most),
    toMend(sheet, showRetainMend(group, retain)),
  ].join("");
}

const toMend = (sheet: Sheet, words: string): string =>
  toMargin(sheet, { label: "mend", words, mark: "good", at: INDENT, wordsAt: MEND });

function showRemoved(
  all: readonly RemovedAddress[],
  sheet: Sheet,
  { most, basePath }: { readonly most: number; readonly basePath: string },
): string {
  if (all.length === 0) return "";
  const title = `in the site no more, and still asked for: ${counted(all.length, "address", "addresses")}`;
  const shown = all.slice(0, most).map((one) => {
    const { text, note } = toNoteOf(one);
    const by = one.removedBy ? `${note}; release ${one.removedBy.release} removed it` : note;
    const mend = one.leadsTo
      ? toMend(sheet, `redirects: [${toRedirectLine(one, basePath)}]`) +
        toText(sheet, `It leads to ${SUCCESSOR_REASONS[one.leadsTo.because]}.`, "faint", MEND)
      : "";
    return toNoted(sheet, [{ text, note: by }], INDENT) + mend;
  });
  return [toText(sheet, title, "warn", 3), ...shown, showRest(all.length - most)].join("");
}

function toLate(one: LateAddress): Noted {
  const since = one.since
    ? `release ${one.since.release} brought it ${showMinute(one.since.at)} UTC`
    : "it had been there all the time: an edge may have held an old answer";
  const { text, note } = toNoteOf(one);
  return { text, note: `${note}; ${since}` };
}

function toNoteOf({
  address,
  requests,
  last,
  referrers,
}: MissingAddress): Required<Pick<Noted, "text" | "note">> {
  const links = referrers.map(({ address: from, requests: count }) => `${from} (${grouped(count)})`);
  const from = links.length === 0 ? "" : `, linked from ${links.join(", ")}`;
  return { text: address, note: `${counted(requests, "request")}, the last ${showMinute(last)}${from}` };
}

import type { LateAddress, LetGoAssets, MissingAddress, RemovedAddress } from "../../core/traffic/traffic.ts";
import type { TrafficResult } from "../../results/traffic.ts";
import { counted, grouped } from "../../words/text.ts";
import { showRetainMend, SUCCESSOR_REASONS, toRedirectLine } from "../../words/traffic.ts";
import { clean, type Terminal } from "../frame/terminal.ts";

/** What was not found, by its cause, each with what mends it. @param most of each list */
export function showMissing(
  { missing, retain, basePath }: TrafficResult,
  terminal: Terminal,
  most: number,
): string {
  const { style } = terminal;
  const { requests, letGo, removed, late, never, neverAddresses, neverRequests } = missing;
  if (requests === 0) return `${style("strong", "not found")}: nothing\n`;
  const parts = [
    `${style("strong", "not found")}: ${counted(requests, "request")}\n`,
    ...letGo.map((group) => showLetGo(group, terminal, { most, retain })),
    ...toPart(
      "in the site no more, and still asked for",
      removed,
      (one) => showRemoved(one, terminal, basePath),
      { terminal, most },
    ),
    ...toPart("there now", late, showLate, { terminal, most }),
  ];
  const scanned = `  never there: ${counted(neverAddresses, "address", "addresses")}, ${counted(neverRequests, "request")}\n`;
  return [
    ...parts,
    ...(neverAddresses > 0
      ? [style("warn", scanned), ...never.slice(0, most).map((one) => `    ${showOne(one)}\n`)]
      : []),
  ].join("");
}

function toPart<T>(
  title: string,
  ones: readonly T[],
  show: (one: T) => string,
  { terminal: { style }, most }: { readonly terminal: Terminal; readonly most: number },
): string[] {
  if (ones.length === 0) return [];
  const more = ones.length - most;
  return [
    style("warn", `  ${title}: ${counted(ones.length, "address", "addresses")}\n`),
    ...ones.slice(0, most).map(show),
    ...(more > 0 ? [`    and ${more} more: --all\n`] : []),
  ];
}

function showLetGo(
  group: LetGoAssets,
  { style }: Terminal,
  { most, retain }: { readonly most: number; readonly retain: TrafficResult["retain"] },
): string {
  const { release, superseded, addresses, requests, people } = group;
  const of = release === undefined ? "an earlier release" : `release ${release}`;
  const since =
    superseded === undefined ? "" : `, superseded ${superseded.slice(0, 16).replace("T", " ")} UTC`;
  const more = addresses.length - most;
  return [
    style(
      "bad",
      `  assets of ${of} that stand no more${since}: ${counted(requests, "request")}, ${grouped(people)} by people\n`,
    ),
    ...addresses.slice(0, most).map((one) => `    ${showOne(one)}\n`),
    ...(more > 0 ? [`    and ${more} more: --all\n`] : []),
    `      ${style("good", "mend")}  ${showRetainMend(group, retain)}\n`,
  ].join("");
}

function showRemoved(one: RemovedAddress, { style }: Terminal, basePath: string): string {
  const by = one.removedBy ? `, removed by release ${one.removedBy.release}` : "";
  const mend = one.leadsTo
    ? `      ${style("good", "mend")}  redirects: [${toRedirectLine(one, basePath)}]  (${SUCCESSOR_REASONS[one.leadsTo.because]})\n`
    : "";
  return `    ${showOne(one)}${by}\n${mend}`;
}

function showLate(one: LateAddress): string {
  const since = one.since
    ? `release ${one.since.release} brought it ${one.since.at.slice(0, 16).replace("T", " ")} UTC`
    : "it had been there all the time: an edge may have held an old answer";
  return `    ${showOne(one)}; ${since}\n`;
}

function showOne({ address, requests, last, referrers }: MissingAddress): string {
  const links = referrers.map(({ address: from, requests: count }) => `${clean(from)} (${grouped(count)})`);
  const from = links.length === 0 ? "" : `, linked from ${links.join(", ")}`;
  return `${clean(address)}  ${counted(requests, "request")}, the last ${last.slice(0, 16).replace("T", " ")}${from}`;
}

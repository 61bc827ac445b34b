import { counted, listed } from "../../words/text.ts";
import type { PruneResult } from "../../results/history.ts";
import { toBlock } from "../frame/block.ts";
import { showBytes } from "../../words/numbers.ts";
import { clean, type Terminal } from "../frame/terminal.ts";

const REASONS: Readonly<Record<string, string>> = {
  stale: "no retained release lists it",
  forgotten: "removed for good",
  foreign: "not ours, asked for by name",
  content: "vault, no retained release needs it",
  record: "record of a release that is no longer retained",
  "ended run": "record of a run that has ended",
};

export function showPrune(
  result: PruneResult,
  { style }: Terminal,
  { all }: { readonly all: boolean },
): string {
  const { destination, dryRun, removed, bytes, waiting, retained, foreign, owed, versions } = result;
  const { previews = [] } = result;
  const verb = dryRun ? "would be removed" : "removed";
  const title = style("strong", clean(destination));
  const head =
    removed.length === 0
      ? `${title}: nothing to remove\n`
      : `${title}: ${counted(removed.length, "object")}, ${showBytes(bytes)} ${verb}\n`;
  const blocks = Object.entries(REASONS).flatMap(([why, meaning]) => {
    const members = removed.filter((object) => object.why === why);
    if (members.length === 0) return [];
    const lines = members.map(({ key, size }) => `${showBytes(size).padStart(8)}  ${clean(key)}`);
    return [`\n${style("warn", why)}: ${meaning}\n${toBlock(lines, all).join("")}`];
  });
  const tail = [
    ...(versions > 0
      ? [
          `\n${counted(versions, "earlier version")} that the bucket had kept of what was forgotten went too\n`,
        ]
      : []),
    ...(previews.length > 0
      ? [
          `\npreviews whose time is over ${dryRun ? "would be" : "are"} removed: ${listed(previews.map(clean), 20)}\n`,
        ]
      : []),
    `\nreleases that can be put back: ${retained.join(", ")}\n`,
    ...(waiting.length > 0
      ? [
          style(
            "warn",
            `${counted(waiting.length, "stale file")} left: pages may name them that an edge still holds or a run that died has left; deliver, then prune again\n`,
          ),
        ]
      : []),
    ...(foreign.length > 0
      ? [
          `not ours, left alone: ${counted(foreign.length, "object")}; --foreign removes them after showing them\n`,
        ]
      : []),
    ...(owed.length > 0
      ? [
          style(
            "warn",
            dryRun
              ? `an edge has not confirmed ${counted(owed.length, "address", "addresses")} yet: it is asked first, and stale files go only if it does\n`
              : `an edge has not confirmed ${counted(owed.length, "address", "addresses")} yet; the next delivery asks again\n`,
          ),
        ]
      : []),
  ];
  return [head, ...blocks, ...showInPreviews(result, all), ...tail].join("");
}

/** What went from previews that had a content which is removed for good. */
function showInPreviews({ inPreviews = [], dryRun }: PruneResult, all: boolean): string[] {
  const verb = dryRun ? "would be removed" : "removed";
  return inPreviews.map(({ preview, removed, versions }) => {
    const lines = removed.map(
      ({ key, size, why }) => `${showBytes(size).padStart(8)}  ${clean(key)}  (${why})`,
    );
    const earlier =
      versions > 0 ? `, and ${counted(versions, "earlier version")} that the bucket had kept` : "";
    return `\npreview ${clean(preview)}: ${counted(removed.length, "object")} ${verb}${earlier}\n${toBlock(lines, all).join("")}`;
  });
}

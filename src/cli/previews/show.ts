import type { PreviewsResult } from "../../results/previews.ts";
import { counted } from "../../words/text.ts";
import { showBytes, showMoment, showTime } from "../../words/numbers.ts";
import { toHead, toNames, toRows, toText, type Sheet } from "../frame/sheet.ts";
import { clean, type Mark } from "../frame/terminal.ts";

/** The previews of a destination, the one that ends first on top. */
export function showPreviews(result: PreviewsResult, sheet: Sheet, now: Date): string {
  const { destination, previews, removed, dryRun } = result;
  const blocks = previews.map((preview) => {
    const { label, name, url, objects, bytes } = preview;
    const called = name === undefined || name === label ? "" : `, of ${clean(name)}`;
    return [
      `\n   ${sheet.style("strong", clean(url))}\n`,
      toText(sheet, ...stateOf(preview, now)),
      toText(sheet, `${clean(label)}${called}: ${counted(objects, "object")}, ${showBytes(bytes)}`, "faint"),
    ].join("");
  });
  const gone = removed.map(({ label, objects, bytes }) => ({
    name: label,
    bytes,
    note: counted(objects, "object"),
  }));
  const what = `${removed.length === 1 ? "preview" : "previews"} ${dryRun ? "to remove" : "removed"}`;
  const rows = toRows(sheet, [{ count: removed.length, what, mark: "bad" }]);
  return [
    toHead(sheet, [destination, "previews"], showCount(result)),
    ...(removed.length > 0 ? ["\n", rows, toNames(sheet, gone, { most: Infinity, all: true })] : []),
    ...blocks,
  ].join("");
}

function showCount({ previews }: PreviewsResult): string {
  if (previews.length === 0) return "there is no preview.";
  const bytes = previews.reduce((sum, preview) => sum + preview.bytes, 0);
  const [is, them] = previews.length === 1 ? ["is", "it has"] : ["are", "together they have"];
  return `there ${is} ${counted(previews.length, "preview")}; ${them} ${showBytes(bytes)}.`;
}

/** How long a preview has stood, and how long it will. */
function stateOf(
  { release, at, until, isOver, isUnreadable }: PreviewsResult["previews"][number],
  now: Date,
): readonly [words: string, mark?: Mark] {
  if (isUnreadable) return ["its record can't be read; only previews --remove removes it", "warn"];
  if (at === undefined) return ["its first delivery never ended; prune removes it after a day", "warn"];
  const made = `release ${release}, ${showTime(at, now)}`;
  if (until === undefined)
    return [`${made}; it was delivered as a site and not as a preview, so prune leaves it alone`];
  return isOver
    ? [`${made}; its time is over: the next prune removes it`, "warn"]
    : [`${made}; it stays until ${showMoment(until)}`];
}

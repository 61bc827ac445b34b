import type { PreviewsResult } from "../../results/previews.ts";
import { counted } from "../../words/text.ts";
import { showBytes, showTime } from "../../words/numbers.ts";
import { clean, type Terminal } from "../frame/terminal.ts";
import { columnFor, fill } from "../frame/width.ts";

/** The previews of a destination, the one that ends first on top. */
export function showPreviews(result: PreviewsResult, terminal: Terminal, now: Date): string {
  const { destination, previews, removed, dryRun } = result;
  const { style } = terminal;
  const bytes = previews.reduce((sum, preview) => sum + preview.bytes, 0);
  const head = `${style("strong", clean(destination))}: ${counted(previews.length, "preview")}${previews.length > 0 ? `, ${showBytes(bytes)}` : ""}\n`;
  const width = columnFor(
    previews.map(({ label }) => clean(label)),
    terminal.columns,
  );
  const blocks = previews.map((preview) => {
    const { label, name, url, objects, bytes: own } = preview;
    const state = showState(preview, terminal, now);
    const called = name === undefined || name === label ? "" : `, of ${clean(name)}`;
    return [
      `  ${style("strong", fill(clean(label), width))}  ${state}\n`,
      `  ${" ".repeat(width)}  ${style("faint", `${counted(objects, "object")}, ${showBytes(own)}${called}`)}\n`,
      `  ${" ".repeat(width)}  ${clean(url)}\n`,
    ].join("");
  });
  const gone = removed.map(
    (one) =>
      `  ${style("bad", dryRun ? "would be removed" : "removed")}  ${clean(one.label)}, ${counted(one.objects, "object")}, ${showBytes(one.bytes)}\n`,
  );
  return [head, ...(gone.length > 0 ? [gone.join("")] : []), ...blocks].join("\n");
}

/** How long a preview has stood, and how long it will. */
function showState(
  { release, at, until, isOver, isUnreadable }: PreviewsResult["previews"][number],
  { style }: Terminal,
  now: Date,
): string {
  if (isUnreadable) return style("warn", "its record can't be read: it goes only by --remove");
  if (at === undefined) return style("warn", "never came to its end: prune clears it after a day");
  if (until === undefined) return `release ${release}, ${showTime(at, now)}; no preview, so it is left alone`;
  const end = isOver ? style("warn", "its time is over: prune clears it") : showTime(until, now);
  return `release ${release}, ${showTime(at, now)}; ${end}`;
}

import { largest } from "../../core/model/largest.ts";
import { GAP, proseColumns, type Sheet } from "./sheet.ts";
import { clean } from "./terminal.ts";
import { fill, widthOf } from "./width.ts";
import { wrap } from "./wrap.ts";

/** A text, and a remark on it. */
export interface Noted {
  readonly text: string;
  readonly note?: string | undefined;
  /** Whether the whole line is only a remark. */
  readonly faint?: boolean | undefined;
}

/** A label, and what is to be said of it. */
export interface Fact {
  readonly label: string;
  readonly lines: readonly Noted[];
}

/**
 * Texts with their remarks: beside them in a column where all of that fits, else below them. Nothing is cut, for what
 * stands here is there to be copied.
 *
 * @param indent columns before the text
 */
export function toNoted(sheet: Sheet, items: readonly Noted[], indent: number): string {
  const { style } = sheet;
  const texts = items.map(({ text }) => clean(text));
  const width = largest(items.map(({ note }, at) => (note === undefined ? 0 : widthOf(texts[at] ?? ""))));
  const notes = items.map(({ note }) => (note === undefined ? "" : clean(note)));
  const isBeside = indent + width + GAP.length + largest(notes.map(widthOf)) <= sheet.columns;
  const lines = items.flatMap(({ faint }, at) => {
    const [text, note] = [texts[at] ?? "", notes[at] ?? ""];
    if (note !== "" && isBeside)
      return [
        faint
          ? style("faint", `${fill(text, width)}${GAP}${note}`)
          : `${fill(text, width)}${GAP}${style("faint", note)}`,
      ];
    const below =
      note === ""
        ? []
        : wrap(note, proseColumns(sheet) - indent - 3).map((line) => `   ${style("faint", line)}`);
    return [
      ...wrap(text, proseColumns(sheet) - indent).map((line) => (faint ? style("faint", line) : line)),
      ...below,
    ];
  });
  return lines.map((line) => `${" ".repeat(indent)}${line}\n`).join("");
}

/** What is known of something: labels in the margin, and beside each what there is to say. */
export function toFacts(sheet: Sheet, facts: readonly Fact[]): string {
  const shown = facts.filter(({ lines }) => lines.length > 0);
  const margin = largest(shown.map(({ label }) => widthOf(label))) + GAP.length;
  return shown
    .map(
      ({ label, lines }) =>
        sheet.style("faint", fill(label, margin)) + toNoted(sheet, lines, margin).slice(margin),
    )
    .join("");
}

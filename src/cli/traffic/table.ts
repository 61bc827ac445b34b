import { largest } from "../../core/model/largest.ts";
import { fill, widthOf } from "../frame/width.ts";

/** Rows in columns: the first at the left, numbers at the right. */
export function toTable(rows: readonly (readonly string[])[]): string {
  const columns = largest(rows.map((row) => row.length));
  const widths = Array.from({ length: columns }, (_, at) =>
    largest(rows.map((row) => widthOf(row[at] ?? ""))),
  );
  return rows
    .map((row) => {
      const cells = row.map((cell, at) => {
        const width = widths[at] ?? 0;
        return at === 0 ? fill(cell, width) : " ".repeat(Math.max(width - widthOf(cell), 0)) + cell;
      });
      return `  ${cells.join("  ").trimEnd()}\n`;
    })
    .join("");
}

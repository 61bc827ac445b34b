import { largest } from "../../core/model/largest.ts";
import { cutName, GAP, type Sheet } from "./sheet.ts";
import { clean } from "./terminal.ts";
import { fill, widthOf } from "./width.ts";

/** How a table is laid out. */
export interface Columns {
  /** Headings; they are faint. Absent: none. */
  readonly head?: readonly string[];
  /** The columns that begin at the left, counted from 0; numbers end at the right. */
  readonly left: readonly number[];
  /** The column whose names are cut in the middle on a screen that is too narrow. */
  readonly names?: number;
  /** So many columns stay, however narrow the screen is; those behind them go, the last one first. */
  readonly least: number;
}

/** Columns before the first cell. */
const INDENT = 3;

/** The least that a name is cut to. */
const LEAST_NAME = 24;

/** Rows in columns. Every text in it is made safe to print. */
export function toTable(sheet: Sheet, cells: readonly (readonly string[])[], columns: Columns): string {
  const { head, left, names } = columns;
  const rows = [...(head ? [head] : []), ...cells].map((row) => row.map(clean));
  const widths = fit(sheet, widthsOf(rows), columns);
  return rows
    .map((row, index) => {
      const shown = widths.map((width, column) => {
        const cell = column === names ? cutName(sheet, row[column] ?? "", width) : (row[column] ?? "");
        return left.includes(column)
          ? fill(cell, width)
          : " ".repeat(Math.max(0, width - widthOf(cell))) + cell;
      });
      const text = " ".repeat(INDENT) + shown.join(GAP).trimEnd();
      return `${head && index === 0 ? sheet.style("faint", text) : text}\n`;
    })
    .join("");
}

const widthsOf = (rows: readonly (readonly string[])[]): number[] =>
  Array.from({ length: largest(rows.map((row) => row.length)) }, (_, column) =>
    largest(rows.map((row) => widthOf(row[column] ?? ""))),
  );

/** @returns the widths of the columns that are shown. First the names give up what they can spare, then the last column goes. */
function fit({ isScreen, columns }: Sheet, widths: readonly number[], { names, least }: Columns): number[] {
  const fitted = [...widths];
  if (!isScreen) return fitted;
  const over = (): number =>
    fitted.reduce((sum, width) => sum + width + GAP.length, INDENT - GAP.length) - columns;
  const spare = names === undefined ? 0 : Math.max(0, (fitted[names] ?? 0) - LEAST_NAME);
  while (fitted.length > least && over() > spare) fitted.pop();
  if (names !== undefined) fitted[names] = (fitted[names] ?? 0) - Math.min(spare, Math.max(0, over()));
  return fitted;
}

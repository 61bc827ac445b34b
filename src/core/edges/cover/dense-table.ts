/** A name of this module's own is read much faster in the innermost loops than a global one. */
export const NEVER = Number.POSITIVE_INFINITY;

export interface TableShape {
  readonly layers: number;
  /** Cells of one layer. */
  readonly width: number;
  readonly cells: number;
}

/** Costs by layer (wildcards left) and cell (patterns spared); outside of each layer's window all are `NEVER`. */
export interface Table {
  readonly values: Float64Array;
  /** The first and the last cell of each layer's window; the first lies behind the last where there is none. */
  readonly first: Int32Array;
  readonly last: Int32Array;
}

/** A table in which nothing has been reached yet: all costs are `NEVER`. */
export const createTable = ({ cells, layers }: TableShape): Table => ({
  values: new Float64Array(cells).fill(NEVER),
  first: new Int32Array(layers).fill(cells),
  last: new Int32Array(layers).fill(-1),
});

/** Makes a table as it was at first; only the windows that were written are written again. */
export function empty({ values, first, last }: Table, { width, layers, cells }: TableShape): void {
  for (let layer = 0; layer < layers; layer++) {
    if ((last[layer] as number) < 0) continue;
    values.fill(NEVER, layer * width + (first[layer] as number), layer * width + (last[layer] as number) + 1);
    [first[layer], last[layer]] = [cells, -1];
  }
}

/** Cells within the windows of all layers. */
export function sizeOf({ first, last }: Table, { layers }: TableShape): number {
  let size = 0;
  for (let layer = 0; layer < layers; layer++)
    size += Math.max(0, (last[layer] as number) - (first[layer] as number) + 1);
  return size;
}

/** The first cell of all windows; behind the last where there is none. */
export const firstOf = ({ first }: Table): number => first.reduce((least, cell) => Math.min(least, cell));
/** The last cell of all windows; -1 where there is none. */
export const lastOf = ({ last }: Table): number => last.reduce((most, cell) => Math.max(most, cell));

/** One bit for each cell of some layers between two columns. */
export interface Marks {
  readonly start: number;
  readonly span: number;
  readonly rows: Uint8Array;
}

/** Room for one bit per cell, between these columns (both included), in each of so many layers; all are clear. */
export const createMarks = (layers: number, start: number, end: number): Marks => {
  const span = Math.max(0, end - start + 1);
  return { start, span, rows: new Uint8Array(((layers * span) >> 3) + 1) };
};

/** Sets the bit of a cell between the columns. */
export function mark({ start, span, rows }: Marks, layer: number, cell: number): void {
  const index = layer * span + cell - start;
  rows[index >> 3] = (rows[index >> 3] as number) | (1 << (index & 7));
}

/** Whether the bit of a cell is set; outside of the columns none is. */
export function isMarked({ start, span, rows }: Marks, layer: number, cell: number): boolean {
  if (cell < start || cell >= start + span) return false;
  const index = layer * span + cell - start;
  return ((rows[index >> 3] as number) & (1 << (index & 7))) !== 0;
}

/** Cell by cell the lesser of both. @returns which cells came from the second */
export function takeLesser(open: Table, arrived: Table, { layers, width }: TableShape): Marks {
  const marks = createMarks(layers, firstOf(arrived), lastOf(arrived));
  for (let layer = 0; layer < layers; layer++) {
    const row = layer * width;
    const [first, last] = [arrived.first[layer] as number, arrived.last[layer] as number];
    for (let cell = first; cell <= last; cell++) {
      const value = arrived.values[row + cell] as number;
      if (value >= (open.values[row + cell] as number)) continue;
      open.values[row + cell] = value;
      mark(marks, layer, cell);
    }
    open.first[layer] = Math.min(open.first[layer] as number, first);
    open.last[layer] = Math.max(open.last[layer] as number, last);
  }
  return marks;
}

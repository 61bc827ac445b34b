/** The files of a report as a page carries them: columns, so that twenty thousand of them stay small. Shared with the page's own script. */
export interface PackedRows {
  /** Keys, sorted; each without what it shares with the one before, and how many letters that are. */
  readonly shared: readonly number[];
  readonly rest: readonly string[];
  /** Places in `fates`, `roles`, `reasons`. */
  readonly fate: readonly number[];
  readonly role: readonly number[];
  readonly reason: readonly number[];
  /** Bytes; -1: unknown. */
  readonly size: readonly number[];
  readonly wire: readonly number[];
  /** 0: nothing is written, 1: its bytes are sent, 2: they are copied. */
  readonly by: readonly number[];
  readonly fates: readonly string[];
  readonly roles: readonly string[];
  readonly reasons: readonly string[];
}

/** One line of the table. */
export interface Row {
  readonly key: string;
  readonly fate: string;
  readonly role: string;
  readonly reason: string;
  /** Bytes; -1: unknown. */
  readonly size: number;
  readonly wire: number;
  readonly by: number;
}

const MOST_SHARED = 1000;

/** @param rows sorted by key, so that neighbours share much */
export function packRows(rows: readonly Row[]): PackedRows {
  const [fates, roles, reasons] = [new Words(), new Words(), new Words()];
  let before = "";
  const keys = rows.map(({ key }) => {
    let shared = 0;
    while (shared < MOST_SHARED && shared < key.length && key[shared] === before[shared]) shared += 1;
    before = key;
    return { shared, rest: key.slice(shared) };
  });
  return {
    shared: keys.map(({ shared }) => shared),
    rest: keys.map(({ rest }) => rest),
    fate: rows.map(({ fate }) => fates.placeOf(fate)),
    role: rows.map(({ role }) => roles.placeOf(role)),
    reason: rows.map(({ reason }) => reasons.placeOf(reason)),
    size: rows.map(({ size }) => size),
    wire: rows.map(({ wire }) => wire),
    by: rows.map(({ by }) => by),
    ...{ fates: fates.all, roles: roles.all, reasons: reasons.all },
  };
}

/** The rows as they were before they were packed. */
export function unpackRows(packed: PackedRows): Row[] {
  let key = "";
  return packed.rest.map((rest, at) => {
    key = key.slice(0, packed.shared[at]) + rest;
    return {
      key,
      fate: packed.fates[packed.fate[at] ?? 0] ?? "",
      role: packed.roles[packed.role[at] ?? 0] ?? "",
      reason: packed.reasons[packed.reason[at] ?? 0] ?? "",
      size: packed.size[at] ?? -1,
      wire: packed.wire[at] ?? -1,
      by: packed.by[at] ?? 0,
    };
  });
}

/** Texts by number, each once. */
class Words {
  readonly all: string[] = [];
  private readonly places = new Map<string, number>();

  placeOf(word: string): number {
    const known = this.places.get(word);
    if (known !== undefined) return known;
    this.places.set(word, this.all.length);
    return this.all.push(word) - 1;
  }
}

export type Column = "key" | "fate" | "role" | "size" | "wire" | "reason";

/** What the reader has asked to see. */
export interface Wish {
  /** A part of the key, in any case. */
  readonly text: string;
  /** Empty: all. */
  readonly fates: ReadonlySet<string>;
  /** Empty: all. */
  readonly role: string;
  readonly by: Column;
  readonly isDown: boolean;
}

/** The rows that are asked for, in the order that is asked for. @param rank places of fates: what changed comes first */
export function selectRows(rows: readonly Row[], wish: Wish, rank: ReadonlyMap<string, number>): Row[] {
  const text = wish.text.trim().toLowerCase();
  const found = rows.filter(
    (row) =>
      (text === "" || row.key.toLowerCase().includes(text)) &&
      (wish.fates.size === 0 || wish.fates.has(row.fate)) &&
      (wish.role === "" || row.role === wish.role),
  );
  const compare = COMPARE[wish.by](rank);
  const sign = wish.isDown ? -1 : 1;
  return found.sort((a, b) => sign * compare(a, b) || (a.key < b.key ? -1 : 1));
}

type Compare = (a: Row, b: Row) => number;

const byText =
  (pick: (row: Row) => string): Compare =>
  (a, b) =>
    pick(a) < pick(b) ? -1 : pick(a) > pick(b) ? 1 : 0;

const COMPARE: Readonly<Record<Column, (rank: ReadonlyMap<string, number>) => Compare>> = {
  key: () => byText(({ key }) => key),
  fate: (rank) => (a, b) => (rank.get(a.fate) ?? 0) - (rank.get(b.fate) ?? 0),
  role: () => byText(({ role }) => role),
  size: () => (a, b) => a.size - b.size,
  wire: () => (a, b) => a.wire - b.wire,
  reason: () => byText(({ reason }) => reason),
};

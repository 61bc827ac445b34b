import type { WordShapes } from "../core/build/fingerprints/mentions.ts";
import type { Secret, UnreadText } from "../core/model/problem.ts";
import type { Reference } from "../core/model/reference.ts";
import type { ContentFacts } from "./content-facts.ts";

/** Changes with every change of what is read of a content. */
const FORMAT = "restless-courier/contents/1";
/** For how many saves a content is kept that no file of the build has any more: a build may go back and forth. */
const MOST_AGE = 3;
const NO_BYTES = new Uint8Array();
/** Most contents have nothing of it: they share it. */
const NOTHING: readonly never[] = [];

/** What is known of contents, by `toContentId`. */
export class ContentTable {
  private readonly added = new Map<string, ContentFacts>();
  private readonly used = new Set<string>();

  constructor(
    readonly shapes: WordShapes,
    private readonly kept: KeptContents = NONE_KEPT,
  ) {}

  find(id: string): ContentFacts | undefined {
    this.used.add(id);
    const added = this.added.get(id);
    if (added) return added;
    const place = this.kept.places.get(id);
    return place === undefined ? undefined : this.kept.factsAt(place);
  }

  has(id: string): boolean {
    return this.added.has(id) || this.kept.places.has(id);
  }

  isEmpty(): boolean {
    return this.added.size === 0 && this.kept.places.size === 0;
  }

  add(id: string, facts: ContentFacts): void {
    this.used.add(id);
    this.added.set(id, facts);
  }

  hasNews(): boolean {
    return this.added.size > 0;
  }

  /** Everything that is worth keeping, with the number of saves since a file of the build had it. */
  *list(): Generator<readonly [id: string, facts: ContentFacts, age: number]> {
    for (const [id, facts] of this.added) yield [id, facts, 0];
    for (const [id, place] of this.kept.places) {
      const age = this.used.has(id) ? 0 : (this.kept.ages[place] ?? 0) + 1;
      if (age <= MOST_AGE && !this.added.has(id)) yield [id, this.kept.factsAt(place), age];
    }
  }
}

interface KeptContents {
  readonly places: ReadonlyMap<string, number>;
  readonly ages: ArrayLike<number>;
  factsAt(place: number): ContentFacts;
}

const NONE_KEPT: KeptContents = {
  places: new Map(),
  ages: [],
  factsAt: () => {
    throw new Error("nothing is kept");
  },
};

/** What stands before the numbers: columns by place, and of what only some contents have, the place with it. */
interface Header {
  readonly format: string;
  readonly shapes: WordShapes;
  readonly ids: readonly string[];
  readonly ages: readonly number[];
  /** How many numbers each content has of references and of words. */
  readonly referenceCounts: readonly number[];
  readonly wordCounts: readonly number[];
  /** References without their line: pages of a site name the same files. */
  readonly references: readonly Omit<Reference, "line">[];
  readonly heads: Readonly<Record<number, string>>;
  readonly secrets: Readonly<Record<number, readonly Secret[]>>;
  readonly unread: Readonly<Record<number, UnreadText>>;
}

/** A header as JSON, then all references as pairs (place in the header's list, line) of 32 bits, then all words. */
export function packContents(table: ContentTable): Buffer {
  const shared = new Map<string, number>();
  const references: Omit<Reference, "line">[] = [];
  const [ids, ages, referenceCounts, wordCounts]: [string[], number[], number[], number[]] = [[], [], [], []];
  const [heads, secrets, unread]: [Record<number, string>, Record<number, readonly Secret[]>, Record<number, UnreadText>] = [{}, {}, {}]; // prettier-ignore
  const pairs: number[] = [];
  const words: Float64Array[] = [];
  for (const [id, facts, age] of table.list()) {
    const place = ids.push(id) - 1;
    ages.push(age);
    referenceCounts.push(facts.references.length);
    wordCounts.push(facts.words.length);
    if (facts.head.length > 0) heads[place] = Buffer.from(facts.head).toString("base64");
    if (facts.secrets.length > 0) secrets[place] = facts.secrets;
    if (facts.unread !== undefined) unread[place] = facts.unread;
    for (const { line, ...reference } of facts.references) {
      const { kind, url, base = "", isLater, isPinned } = reference;
      const key = `${kind}\n${url}\n${base}\n${isLater ? 1 : 0}${isPinned ? 1 : 0}${reference.base === undefined ? 0 : 1}`;
      let at = shared.get(key);
      if (at === undefined) shared.set(key, (at = references.push(reference) - 1));
      pairs.push(at, line);
    }
    if (facts.words.length > 0) words.push(facts.words);
  }
  const header: Header = {
    ...{ format: FORMAT, shapes: table.shapes, ids, ages, referenceCounts, wordCounts, references },
    ...{ heads, secrets, unread },
  };
  const json = Buffer.from(`${JSON.stringify(header)}\n`);
  // Numbers begin where they can be read in place.
  const padding = Buffer.alloc((8 - (json.length % 8)) % 8, " ");
  return Buffer.concat([
    ...[padding, json, Buffer.from(Uint32Array.from(pairs).buffer)],
    ...words.map(({ buffer, byteOffset, byteLength }) => Buffer.from(buffer, byteOffset, byteLength)),
  ]);
}

/** @param packed undefined: nothing is known yet */
export function unpackContents(packed: Buffer | undefined, shapes: WordShapes): ContentTable {
  const header = packed && readHeader(packed);
  if (!header) return new ContentTable(shapes);
  // A build with hashes of other lengths is read anew, for both.
  const both = {
    ends: union(header.shapes.ends, shapes.ends),
    plain: union(header.shapes.plain, shapes.plain),
  };
  if (both.ends.length > header.shapes.ends.length || both.plain.length > header.shapes.plain.length)
    return new ContentTable(both);
  return new ContentTable(header.shapes, toKept(header, packed.subarray(packed.indexOf("\n") + 1)));
}

const union = (one: readonly number[], other: readonly number[]): number[] =>
  [...new Set([...one, ...other])].sort((a, b) => a - b);

function readHeader(packed: Buffer): Header | undefined {
  const header = JSON.parse(packed.toString("utf8", 0, packed.indexOf("\n"))) as Header;
  return header.format === FORMAT ? header : undefined;
}

function toKept(header: Header, numbers: Buffer): KeptContents {
  const { ids, ages, references, referenceCounts, wordCounts, heads, secrets, unread } = header;
  const referenceEnds = toEnds(referenceCounts);
  const wordEnds = toEnds(wordCounts);
  const pairBytes = (referenceEnds.at(-1) ?? 0) * 8;
  // Copied, since typed arrays begin at multiples of their size.
  const pairs = new Uint32Array(Uint8Array.from(numbers.subarray(0, pairBytes)).buffer);
  const words = new Float64Array(Uint8Array.from(numbers.subarray(pairBytes)).buffer);
  // Pages made from a template name the same files on the same lines: they share what says so.
  const shared = new Map<string, Reference>();
  const referenceAt = (place: number, line: number): Reference => {
    const key = `${place}:${line}`;
    const reference = shared.get(key) ?? ({ ...references[place], line } as Reference);
    shared.set(key, reference);
    return reference;
  };
  return {
    places: new Map(ids.map((id, place) => [id, place])),
    ages,
    factsAt: (place) => {
      const head = heads[place];
      const lasts = referenceEnds[place] as number;
      const found: Reference[] = [];
      for (let at = lasts - (referenceCounts[place] as number); at < lasts; at++)
        found.push(referenceAt(pairs[at * 2] as number, pairs[at * 2 + 1] as number));
      const wordEnd = wordEnds[place] as number;
      return {
        head: head === undefined ? NO_BYTES : Buffer.from(head, "base64"),
        references: found.length > 0 ? found : NOTHING,
        secrets: secrets[place] ?? NOTHING,
        unread: unread[place],
        words: words.subarray(wordEnd - (wordCounts[place] as number), wordEnd),
      };
    },
  };
}

/** For each place the sum of all counts up to it. */
function toEnds(counts: readonly number[]): number[] {
  let sum = 0;
  return counts.map((count) => (sum += count));
}

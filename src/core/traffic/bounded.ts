import { toOwn } from "./line.ts";

/**
 * Counts what is asked for most, in a space that does not grow: where there is no room, the rarer half is let go of. One of
 * these that comes again begins anew, so what is asked for often is counted exactly, or a little too low.
 */
export class BoundedCounts<T extends { count: number }> {
  private readonly entries = new Map<string, T>();
  /** How many names were let go for want of room. */
  letGo = 0;

  /** @param most names that are kept */
  constructor(private readonly most: number) {}

  /** The entry of a name, made where there is none; whoever asks counts it. */
  of(name: string, make: () => T): T {
    const known = this.entries.get(name);
    if (known) return known;
    if (this.entries.size >= this.most * 2) this.shrink();
    const made = make();
    this.entries.set(toOwn(name), made);
    return made;
  }

  get(name: string): T | undefined {
    return this.entries.get(name);
  }

  /** The most counted on top. */
  top(most = this.most): (readonly [string, T])[] {
    return [...this.entries]
      .sort(([a, one], [b, other]) => other.count - one.count || (a < b ? -1 : 1))
      .slice(0, most);
  }

  get size(): number {
    return this.entries.size;
  }

  private shrink(): void {
    const kept = this.top();
    this.letGo += this.entries.size - kept.length;
    this.entries.clear();
    for (const [name, entry] of kept) this.entries.set(name, entry);
  }
}

/** A number for each span of time, in a space that does not grow: spans become twice as long when there are too many. */
export class TimeSpans<T> {
  private spans = new Map<number, T>();
  private last: { readonly place: number; readonly span: T };
  /** Milliseconds of one span. */
  spanMs: number;

  /** @param join takes the second one into the first */
  constructor(
    private readonly most: number,
    leastMs: number,
    private readonly make: () => T,
    private readonly join: (into: T, other: T) => void,
  ) {
    this.spanMs = leastMs;
    this.last = { place: NaN, span: make() };
  }

  /** The span of a time, in milliseconds since 1970. */
  of(atMs: number): T {
    const place = Math.floor(atMs / this.spanMs);
    // Lines of one time stand together.
    if (place === this.last.place) return this.last.span;
    const known = this.spans.get(place);
    if (known) {
      this.last = { place, span: known };
      return known;
    }
    if (this.spans.size >= this.most) {
      this.double();
      return this.of(atMs);
    }
    const made = this.make();
    this.spans.set(place, made);
    return made;
  }

  /** In the order of time. */
  list(): { readonly atMs: number; readonly value: T }[] {
    return [...this.spans]
      .sort(([a], [b]) => a - b)
      .map(([place, value]) => ({ atMs: place * this.spanMs, value }));
  }

  private double(): void {
    const spans = new Map<number, T>();
    for (const [place, value] of this.spans) {
      const known = spans.get(Math.floor(place / 2));
      if (known) this.join(known, value);
      else spans.set(Math.floor(place / 2), value);
    }
    this.spans = spans;
    this.last = { place: NaN, span: this.make() };
    this.spanMs *= 2;
  }
}

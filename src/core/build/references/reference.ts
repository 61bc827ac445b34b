/**
 * What a file names:
 * - `asset`: the browser loads it with the page; without it the page is broken
 * - `decoration`: a picture or font of a style sheet; without it the page works, only less well
 * - `link`: a person may go there
 * - `guess`: a text in a script that looks like an address
 */
export type ReferenceKind = "asset" | "decoration" | "link" | "guess";

/** One mention of another file, as it was written. */
export interface Reference {
  readonly kind: ReferenceKind;
  /** The address as written, not resolved. */
  readonly url: string;
  /** From 1. */
  readonly line: number;
  /** What it is resolved against, where that is not the file's own address: the page's `<base>`. */
  readonly base?: string;
  /** Whether the page says which bytes it must be (W3C Subresource Integrity §3.5). */
  readonly isPinned?: true;
}

/** Line numbers of offsets in a text. */
export function createLineFinder(text: string): (offset: number) => number {
  const starts = [0];
  for (let at = text.indexOf("\n"); at >= 0; at = text.indexOf("\n", at + 1)) starts.push(at + 1);
  return (offset) => {
    let [low, high] = [0, starts.length];
    while (low + 1 < high) {
      const middle = (low + high) >> 1;
      if ((starts[middle] as number) <= offset) low = middle;
      else high = middle;
    }
    return low + 1;
  };
}

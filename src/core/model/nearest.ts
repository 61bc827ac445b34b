import { byText } from "./names.ts";

/**
 * The nearest of the known words to a misspelt one, by edit distance (insertions, removals, replacements, swaps of
 * neighbours); undefined when none is near enough to be meant.
 */
export function findNearest(word: string, known: readonly string[]): string | undefined {
  const reach = Math.max(1, Math.floor(word.length / 3));
  const near = known
    .map((candidate) => ({ candidate, distance: editDistance(word.toLowerCase(), candidate.toLowerCase()) }))
    .filter(({ distance }) => distance <= reach)
    .sort((a, b) => a.distance - b.distance || byText(a.candidate, b.candidate));
  return near[0]?.candidate;
}

/** Optimal string alignment distance. */
function editDistance(a: string, b: string): number {
  const rows: number[][] = Array.from({ length: a.length + 1 }, (_, i) => [i]);
  const at = (i: number, j: number): number => rows[i]?.[j] ?? Infinity;
  for (let j = 1; j <= b.length; j++) rows[0]?.push(j);
  for (let i = 1; i <= a.length; i++) {
    for (let j = 1; j <= b.length; j++) {
      const same = a[i - 1] === b[j - 1] ? 0 : 1;
      const swapped =
        i > 1 && j > 1 && a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1] ? at(i - 2, j - 2) + 1 : Infinity;
      rows[i]?.push(Math.min(at(i - 1, j) + 1, at(i, j - 1) + 1, at(i - 1, j - 1) + same, swapped));
    }
  }
  return at(a.length, b.length);
}

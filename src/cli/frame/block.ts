/** How many names are shown before the rest is counted. */
const MOST_NAMES = 20;

/** Lines, cut with a count. */
export function toBlock(lines: readonly string[], all: boolean): string[] {
  const shown = all ? lines : lines.slice(0, MOST_NAMES);
  const more = lines.length - shown.length;
  return [...shown.map((line) => `  ${line}\n`), ...(more > 0 ? [`  and ${more} more: --all\n`] : [])];
}

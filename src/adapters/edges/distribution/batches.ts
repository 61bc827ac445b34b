/** Batches none of which needs more than may be in flight at the same time; order is kept, exact paths come first. */
export function toBatches(
  patterns: readonly string[],
  { patterns: most, wildcards: mostWildcards }: { readonly patterns: number; readonly wildcards: number },
): string[][] {
  const batches: string[][] = [];
  let [batch, wildcards]: [string[], number] = [[], 0];
  const isWildcard = (pattern: string): boolean => pattern.endsWith("*");
  const sorted = [...patterns.filter((pattern) => !isWildcard(pattern)), ...patterns.filter(isWildcard)];
  for (const pattern of sorted) {
    const next = wildcards + (isWildcard(pattern) ? 1 : 0);
    if (batch.length >= most || next > Math.max(1, mostWildcards)) {
      batches.push(batch);
      [batch, wildcards] = [[], 0];
    }
    batch.push(pattern);
    wildcards += isWildcard(pattern) ? 1 : 0;
  }
  return batch.length > 0 ? [...batches, batch] : batches;
}

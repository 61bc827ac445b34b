/** At most so many of the items, evenly spaced. */
export function spread<T>(items: readonly T[], most: number): T[] {
  if (items.length <= most) return [...items];
  return Array.from({ length: most }, (_, index) => items[Math.floor((index * items.length) / most)] as T);
}

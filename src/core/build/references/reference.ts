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

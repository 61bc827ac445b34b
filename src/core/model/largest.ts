/** The largest of many numbers, 0 for none: `Math.max(...numbers)` fails from some hundred thousand on. */
export function largest(numbers: Iterable<number>): number {
  let most = 0;
  for (const number of numbers) if (number > most) most = number;
  return most;
}

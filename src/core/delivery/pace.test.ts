import { Pace } from "./pace.ts";

/** A store whose requests take so long each, and that takes so many at once; beyond, they wait for each other. */
function work(
  pace: Pace,
  { capacity, windows, fromMs = 0 }: { capacity: number; windows: number; fromMs?: number },
): number {
  let now = fromMs;
  for (let window = 0; window < windows; window++) {
    const requests = pace.width * 2;
    for (let number = 0; number < requests; number++) {
      now += 10 / Math.min(pace.width, capacity);
      pace.noteDone(now);
    }
  }
  return now;
}

test("grows while it pays, and stays near what a store can take", () => {
  const pace = new Pace({ start: 4, least: 1, most: 64 });
  work(pace, { capacity: 20, windows: 60 });
  expect(pace.width).toBeGreaterThanOrEqual(16);
  expect(pace.width).toBeLessThanOrEqual(32);
});

test("what ended within one tick of the clock tells no speed", () => {
  const pace = new Pace({ start: 4, least: 1, most: 64 });
  for (let number = 0; number < 100; number++) pace.noteDone(5);
  expect(pace.width).toBe(4);
});

test("does not grow where more at once brings nothing", () => {
  const pace = new Pace({ start: 8, least: 1, most: 64 });
  work(pace, { capacity: 2, windows: 40 });
  expect(pace.width).toBeLessThanOrEqual(12);
});

test("halves when a store asks for less, once for one overload, never below the least", () => {
  const pace = new Pace({ start: 16, least: 2, most: 64 });
  pace.noteThrottled(0);
  pace.noteThrottled(500);
  expect(pace.width).toBe(8);
  for (let ms = 1000; ms < 9000; ms += 1000) pace.noteThrottled(ms);
  expect(pace.width).toBe(2);
  work(pace, { capacity: 40, windows: 200, fromMs: 10_000 });
  expect(pace.width).toBeGreaterThan(16);
});

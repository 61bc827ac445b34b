import type { Hold } from "../model/hold.ts";
import { isRenewalDue, isSurelyOurs, mayTakeOver, parseHold, toHoldText } from "./hold.ts";

const hold: Hold = {
  ...{ run: "r", work: "deliver", by: "harbour", host: "quay", process: 7, processStart: "s", at: "" },
  ...{ leaseSeconds: 30, renewal: 0, conditions: true, isReleased: false },
};
const sighting = { hold, watchedMs: 0, ageMs: undefined, isAlive: undefined };

test.each([
  ["just seen", {}, false],
  ["let go", { hold: { ...hold, isReleased: true } }, true],
  ["its process is dead", { isAlive: false }, true],
  ["its process lives", { isAlive: true, watchedMs: 29_999 }, false],
  ["watched for a lease", { watchedMs: 30_000 }, true],
  ["old by the store's clock, within its step", { ageMs: 30_900 }, false],
  ["old by the store's clock", { ageMs: 31_000 }, true],
  ["unreadable", { hold: undefined, watchedMs: 29_000 }, false],
  ["unreadable, for long", { hold: undefined, watchedMs: 30_000 }, true],
])("a hold may be taken over or not: %s", (_, more, may) => {
  expect(mayTakeOver({ ...sighting, ...more })).toBe(may);
});

test("ours for half a lease, due after a third, by whichever clock went further; a clock set back counts too", () => {
  const at = { monotonicMs: 1000, wallMs: 1_000_000 };
  const later = (monotonicMs: number, wallMs: number) => ({ monotonicMs: at.monotonicMs + monotonicMs, wallMs: at.wallMs + wallMs });
  expect([isSurelyOurs(at, later(14_999, 14_999), 30), isSurelyOurs(at, later(15_000, 0), 30)]).toEqual([true, false]);
  // A laptop that slept: its monotonic clock stood still.
  expect(isSurelyOurs(at, later(10, 600_000), 30)).toBe(false);
  expect(isSurelyOurs(at, later(10, -600_000), 30)).toBe(false);
  expect([isRenewalDue(at, later(9999, 9999), 30), isRenewalDue(at, later(10_000, 0), 30)]).toEqual([false, true]);
}); // prettier-ignore

test("what is written is read back; anything else is nothing", () => {
  expect(parseHold(toHoldText(hold))).toEqual(hold);
  for (const text of ["", "{}", toHoldText(hold).replace("hold/1", "hold/2"), toHoldText(hold).slice(0, 40)])
    expect(parseHold(text)).toBeUndefined();
});

import { judgeProbe } from "./probe.ts";

const answer = (isRight: boolean, status: number | undefined = 200) => ({ address: "/a", status, isRight });

test.each([
  ["all is well", answer(true), undefined, "none"],
  ["nothing of the store can be read there", answer(false, 404), answer(false, 404), "warning"],
  ["nobody answers", answer(false, undefined), answer(false, undefined), "warning"],
  ["there is nothing older to compare with", answer(false, 403), undefined, "warning"],
  ["only what is new can't be read", answer(false, 403), answer(true), "error"],
  ["the new name has other bytes", answer(false), answer(true), "error"],
])("%s", (_, fresh, before, severity) => {
  expect(judgeProbe(fresh, before)?.severity ?? "none").toBe(severity);
});

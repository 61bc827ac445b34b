import { runHelper } from "./helper.ts";

test("a helper that does not end is given up, and so is one whose run is stopped", async () => {
  const slow = `"${process.execPath}" -e "setTimeout(() => {}, 60000)"`;
  const late = await runHelper(slow, { mostMs: 200 });
  expect(late).toEqual({ failure: "did not end within 0.2 s" });
  // The next client of the same run does not wait once more.
  expect(await runHelper(slow)).toBe(late);
  const stop = new AbortController();
  const stopped = runHelper(`${slow} `, { stop: stop.signal });
  stop.abort();
  expect(await stopped).toEqual({ failure: "was stopped" });
});

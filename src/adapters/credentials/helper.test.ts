import { runHelper } from "./helper.ts";

test("what a helper prints is looked at: credentials, and when they end", async () => {
  const print = (more: object): Promise<unknown> => {
    const printed = { Version: 1, AccessKeyId: "PELICAN", SecretAccessKey: "harbour", ...more };
    const code = `process.stdout.write(atob('${btoa(JSON.stringify(printed))}'))`;
    return runHelper(`"${process.execPath}" -e "${code}"`);
  };
  expect(await print({})).toMatchObject({ stdout: expect.stringContaining("PELICAN") as string });
  expect(await print({ Expiration: "2126-03-04T14:20:00Z" })).toHaveProperty("stdout");
  expect(await print({ Expiration: "2020-03-04T14:20:00Z" })).toEqual({ failure: "printed credentials that have expired (2020-03-04T14:20:00Z)" }); // prettier-ignore
  expect(await print({ Expiration: "soon" })).toEqual({
    failure: "printed an Expiration that is no time (soon)",
  });
  expect(await print({ Version: 2 })).toMatchObject({ failure: expect.stringContaining("printed no credentials") as string }); // prettier-ignore
});

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

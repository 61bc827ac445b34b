import { keepCredentials } from "./renewal.ts";

const MINUTE = 60_000;

/** Credentials that last so many minutes, at a clock of its own. */
function open(lasts: number) {
  let [now, asked, isDown] = [0, 0, false];
  const find = async () => {
    asked += 1;
    await Promise.resolve();
    if (isDown) throw new Error("down");
    return { accessKeyId: `key ${asked}`, expiration: lasts === Infinity ? undefined : new Date(now + lasts * MINUTE) };
  };
  const get = keepCredentials(find, () => now);
  return {
    get,
    pass: (minutes: number) => (now += minutes * MINUTE),
    count: () => asked,
    fail: (does: boolean) => (isDown = does),
  };
} // prettier-ignore

test("credentials are fetched once for all, anew before they end, and not for each request when they end soon", async () => {
  for (const [lasts, later, asked] of [
    [Infinity, 1e6, 1],
    [60, 54, 1],
    [60, 56, 2],
    [4, 1, 1],
    [4, 3, 2],
  ] as const) {
    const { get, pass, count } = open(lasts);
    await Promise.all([get(), get(), get()]);
    pass(later);
    await Promise.all([get(), get()]);
    expect([lasts, later, count()]).toEqual([lasts, later, asked]);
  }
});

test("where a renewal fails they are used to their end, and asking again is not hurried", async () => {
  const { get, pass, count, fail } = open(60);
  const first = await get();
  fail(true);
  pass(56);
  expect([await get(), await get(), count()]).toEqual([first, first, 2]);
  pass(1);
  expect([await get(), count()]).toEqual([first, 3]);
  pass(4);
  await expect(get()).rejects.toThrow("down");
  fail(false);
  expect(await get()).toMatchObject({ accessKeyId: "key 5" });
});

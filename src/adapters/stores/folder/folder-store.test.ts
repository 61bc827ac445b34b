import { createHash } from "node:crypto";
import { readText } from "../../../../test/contracts/object-store.ts";
import { temporaryFolder } from "../../../../test/support/builds.ts";
import { needing } from "../../../../test/support/needing.ts";
import { existsSync, mkdirSync, renameSync, utimesSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { createFolderStore } from "./folder-store.ts";
import { systemDisk } from "./disk.ts";
import { withLock } from "./lock.ts";

/** An ETag of a newer file beside older bytes would let a condition pass that must fail. */
test("what is read while somebody replaces it has the ETag of just those bytes", async () => {
  const store = createFolderStore(temporaryFolder("replaced"), () => undefined);
  const write = async (text: string): Promise<string> => {
    const bytes = Buffer.from(text);
    const hash = createHash("sha256").update(bytes).digest("hex");
    return (await store.put("current.json", { size: bytes.length, hash, open: () => bytes }, {})).etag;
  };
  const written = new Map([[await write("0"), "0"]]);
  let isDone = false;
  const writing = (async () => {
    for (let number = 1; number <= 60; number++) written.set(await write(String(number)), String(number));
    isDone = true;
  })();
  const seen: (readonly [etag: string, text: string])[] = [];
  const read = async (): Promise<void> => {
    while (!isDone) {
      const found = await store.get("current.json");
      if (found) seen.push([found.etag, (await readText(found)) ?? ""]);
    }
  };
  await Promise.all([writing, ...Array.from({ length: 8 }, read)]);
  expect(seen.length).toBeGreaterThan(60);
  expect(seen.filter(([etag, text]) => written.get(etag) !== text)).toEqual([]);
});

/** Time that passes only where somebody waits. @param after what happens at which millisecond */
function toWaiting(after: Readonly<Record<number, () => void>> = {}) {
  let now = 0;
  const sleep = (ms: number): Promise<void> => {
    now += ms;
    after[now]?.();
    return Promise.resolve();
  };
  return { nowMs: () => now, sleep };
}

test("a lock that a dead process left is taken after ten seconds, and not before", async () => {
  const path = join(temporaryFolder("lock"), "lock");
  writeFileSync(path, "");
  // A process that died long ago by its file's clock says nothing: clocks may differ.
  utimesSync(path, 0, 0);
  const waiting = toWaiting();
  expect(await withLock(path, () => Promise.resolve(existsSync(path)), systemDisk, waiting)).toBe(true);
  expect([waiting.nowMs() > 10_000, waiting.nowMs() < 10_100, existsSync(path)]).toEqual([true, true, false]);
});

test("a lock that lives on is waited for: each new one has its own ten seconds; a task that fails lets go", async () => {
  const folder = temporaryFolder("lock");
  const path = join(folder, "lock");
  const renew = (): void => {
    writeFileSync(join(folder, "next"), "");
    renameSync(join(folder, "next"), path);
  };
  renew();
  const waiting = toWaiting({ 6000: renew, 12_000: renew });
  const failing = withLock(path, () => Promise.reject(new Error("task")), systemDisk, waiting);
  await expect(failing).rejects.toThrow("task");
  expect([waiting.nowMs() > 22_000, existsSync(path)]).toEqual([true, false]);
  await expect(
    withLock(join(folder, "none/lock"), () => Promise.resolve(), systemDisk, waiting),
  ).rejects.toMatchObject({ code: "ENOENT" });
});

/** What another user may not read, this one may not either for a moment; only root can put itself in that place. */
const asNobody = async <T>(task: () => Promise<T>): Promise<T> => {
  process.seteuid?.(65_534);
  try {
    return await task();
  } finally {
    process.seteuid?.(0);
  }
};

needing("root, to be somebody else")(
  "a folder that can't be read is a failure, and never an empty one; one that is gone meanwhile is nothing",
  async () => {
    const root = temporaryFolder("unreadable");
    mkdirSync(join(root, "news"), { mode: 0o700 });
    mkdirSync(join(root, ".courier/unfinished"), { recursive: true, mode: 0o777 });
    writeFileSync(join(root, "news/index.html"), "n");
    const store = createFolderStore(root, () => undefined);
    const list = async (below: string): Promise<string[]> => {
      const keys: string[] = [];
      for await (const { objects } of store.list(below)) keys.push(...objects.map(({ key }) => key));
      return keys;
    };
    await expect(asNobody(() => list("news/"))).rejects.toMatchObject({ kind: "denied" });
    expect([await list("news/"), await list("gone/")]).toEqual([["news/index.html"], []]);
  },
);

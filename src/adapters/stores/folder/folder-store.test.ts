import { createHash } from "node:crypto";
import { readText } from "../../../../test/contracts/object-store.ts";
import { temporaryFolder } from "../../../../test/support/builds.ts";
import { createFolderStore } from "./folder-store.ts";

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
    for (let number = 1; number <= 150; number++) written.set(await write(String(number)), String(number));
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
  expect(seen.length).toBeGreaterThan(150);
  expect(seen.filter(([etag, text]) => written.get(etag) !== text)).toEqual([]);
});

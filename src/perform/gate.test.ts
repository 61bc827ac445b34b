import { MemoryStore } from "../adapters/stores/memory/memory-store.ts";
import { toContent } from "../../test/contracts/object-store.ts";
import { OperatorError } from "../core/model/failure.ts";
import type { ObjectStore } from "../ports/object-store.ts";
import { HOLD_KEY, vaultKey } from "../core/model/names.ts";
import { gateWrites, noteLargest, type WriteGate } from "./gate.ts";

const WRITES: readonly [string, (store: ObjectStore) => Promise<unknown>][] = [
  ["a put", (store) => store.put("page.html", toContent("new"), {})],
  ["a copy", (store) => store.copy({ key: "page.html" }, "other.html")],
  ["a removal", (store) => store.remove(["page.html"])],
  ["a removal of versions", async (store) => store.versions?.remove([])],
  ["website settings", (store) => store.writeWebsite({ index: "index.html", rules: [] })],
  ["letting go of uploads", (store) => store.abandonUploads(new Set(["page.html"]))],
];

test.each(WRITES)("%s begins only while the destination is surely ours", async (_, write) => {
  const inner = new MemoryStore();
  inner.tamper("page.html", "old");
  const gate: WriteGate = { assertOurs: () => Promise.reject(new OperatorError("hold-lost")) };
  const store = gateWrites(inner, gate);
  await expect(write(store)).rejects.toMatchObject({ code: "hold-lost" });
  expect(inner.trace).toEqual([]);
  // What is only read passes, and so do the hold itself and a run's own record.
  expect((await store.head("page.html"))?.size).toBe(3);
  for (const key of [".courier/hold.json", ".courier/open/run.ndjson.gz"])
    await store.put(key, toContent("x"), {});
  gate.assertOurs = undefined;
  await write(store);
});

test("the largest object that a run lists or takes is noted", async () => {
  const inner = new MemoryStore();
  inner.tamper(".courier/releases/1-run.ndjson.gz", "x".repeat(90));
  const largest = { bytes: 0 };
  const noting = noteLargest(gateWrites(inner, { assertOurs: undefined }), largest);
  // Records tell nothing of the site; what is kept for the way back does.
  for await (const { objects } of noting.list()) expect([objects.length, largest.bytes]).toEqual([1, 0]);
  await noting.put(HOLD_KEY, toContent("x".repeat(90)), {});
  expect(largest.bytes).toBe(0);
  await inner.remove([".courier/releases/1-run.ndjson.gz", HOLD_KEY]);
  inner.tamper(vaultKey("0".repeat(64)), "x".repeat(40));
  for await (const { objects } of noting.list()) expect([objects.length, largest.bytes]).toEqual([1, 40]);
  await noting.put("page.html", toContent("small"), {});
  expect(largest.bytes).toBe(40);
  await noting.put("longer.bin", toContent("x".repeat(50)), {});
  expect(largest.bytes).toBe(50);
});

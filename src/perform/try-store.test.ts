import { MemoryStore } from "../adapters/stores/memory/memory-store.ts";
import { toProbeKeys } from "../core/diagnosis/checkup/probes.ts";
import { toContent } from "./record.ts";
import { tryStore } from "./try-store.ts";

const HOUR_MS = 3_600_000;

test("a try of the store leaves nothing, and takes along what an earlier one left when it was killed", async () => {
  let nowMs = 0;
  const store = new MemoryStore(undefined, () => nowMs);
  const put = (key: string): Promise<unknown> => store.put(key, toContent(Buffer.from("x")), {});
  const left: string[] = [
    ...Object.values({ ...toProbeKeys("run-0123abcd", "index.html") }),
    ".courier/probe-0123abcd.txt.copy",
  ];
  for (const key of left.filter((name) => !name.endsWith("/"))) await put(key);
  // Names of the site that only look like it.
  const own = ["courier-probe-report/index.html", "courier-probe-0123abcd", ".courier/current.json"];
  for (const key of own) await put(key);
  nowMs += 2 * HOUR_MS;
  // Somebody else is trying just now.
  await put("courier-probe-4567abcd/index.html");
  await tryStore(store, {
    run: "run-89abcdef",
    keys: toProbeKeys("run-89abcdef", "index.html"),
    isServed: () => Promise.resolve(undefined),
  });
  const keys: string[] = [];
  for await (const { objects } of store.list()) keys.push(...objects.map(({ key }) => key));
  expect(keys).toEqual([...own, "courier-probe-4567abcd/index.html"].sort());
});

import { createS3Store } from "../../src/adapters/stores/s3/s3-store.ts";
import { MemoryStore } from "../../src/adapters/stores/memory/memory-store.ts";
import { RunningSandbox } from "../support/program.ts";
import { describeObjectStore, toContent } from "./object-store.ts";

describeObjectStore("memory", { conditions: true, website: true }, () =>
  Promise.resolve(new MemoryStore(undefined, () => 1)),
);

let sandbox: RunningSandbox;
beforeAll(async () => {
  sandbox = await RunningSandbox.start();
  process.env.AWS_ACCESS_KEY_ID = sandbox.facts.accessKeyId;
  process.env.AWS_SECRET_ACCESS_KEY = sandbox.facts.secretAccessKey;
});
afterAll(() => sandbox.stop());

const open = (prefix: string, more: object = {}) =>
  createS3Store({ ...sandbox.facts, prefix, addressing: "path", ...more }, () => undefined);

describeObjectStore("s3 on the sandbox", { conditions: true, website: true }, () =>
  Promise.resolve(open("below/here/")),
);

test("a prefix hides everything outside it", async () => {
  await open("").put("outside", toContent("x"), {});
  const keys: string[] = [];
  for await (const page of open("inside/").list()) keys.push(...page.objects.map(({ key }) => key));
  expect(keys).toEqual([]);
});

test.each([
  [{ bucket: "no-such-bucket" }, "no-such-bucket"],
  [{ region: "elsewhere-1" }, "wrong-region"],
  [{ endpoint: "http://127.0.0.1:9" }, "unreachable"],
])("a store that can't be worked with says why: %j", async (settings, kind) => {
  const store = open("", settings);
  await expect(store.get("any")).rejects.toMatchObject({ kind });
  store.close();
});

test("data and settings of the sandbox survive its restart, a journal cut short included", async () => {
  const { mkdtempSync, appendFileSync } = await import("node:fs");
  const data = mkdtempSync("/tmp/courier-test-restart-");
  const first = await RunningSandbox.start([], data);
  const before = createS3Store({ ...first.facts, prefix: "", addressing: "path" }, () => undefined);
  const { etag } = await before.put("stays", toContent("here"), { "content-type": "text/plain" });
  await first.stop();
  appendFileSync(`${data}/store/buckets/${first.facts.bucket}/journal.ndjson`, '{"put":{"key":"half');
  const second = await RunningSandbox.start([], data);
  const after = createS3Store({ ...second.facts, prefix: "", addressing: "path" }, () => undefined);
  expect(await after.head("stays")).toEqual({ size: 4, etag, headers: { "content-type": "text/plain" } });
  expect(await after.head("half")).toBeUndefined();
  await second.stop();
});

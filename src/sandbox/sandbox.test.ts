import { createHash } from "node:crypto";
import { once } from "node:events";
import { appendFileSync, mkdtempSync, readdirSync } from "node:fs";
import { request, type IncomingMessage } from "node:http";
import { tmpdir } from "node:os";
import { join } from "node:path";
import {
  AbortMultipartUploadCommand, CompleteMultipartUploadCommand, CreateMultipartUploadCommand, DeleteObjectsCommand, GetBucketPolicyCommand, GetObjectCommand, HeadBucketCommand,
  ListMultipartUploadsCommand, ListObjectsV2Command, PutBucketPolicyCommand, PutObjectCommand, S3Client, UploadPartCommand, UploadPartCopyCommand,
} from "@aws-sdk/client-s3"; // prettier-ignore
import { PLAIN } from "./edge/traits.ts";
import { EdgeCache } from "./edge/cache.ts";
import { startSandbox, type Sandbox } from "./sandbox.ts";
import { ObjectTable } from "./store/object-table.ts";
import { authenticate } from "./store/signature.ts";

const folder = (): string => mkdtempSync(join(tmpdir(), "courier-test-unit-"));
let sandbox: Sandbox;
let client: S3Client;
const Bucket = "practice";

beforeAll(async () => {
  sandbox = await startSandbox({
    data: folder(),
    storePort: 0,
    edgePort: 0,
    bucket: Bucket,
    points: 1,
    propagationMs: 0,
    origin: "objects",
    clientRoutes: true,
    query: "keyed",
  });
  const { endpoint, region, accessKeyId, secretAccessKey } = sandbox.facts;
  // The client as it comes: its own retries, its chunked uploads with checksums behind them.
  client = new S3Client({
    endpoint,
    region,
    forcePathStyle: true,
    credentials: { accessKeyId, secretAccessKey },
  });
});
afterAll(async () => {
  client.destroy();
  await sandbox.close();
});

const put = (Key: string, Body: string | Buffer = Key, more: object = {}) =>
  client.send(new PutObjectCommand({ Bucket, Key, Body, ...more }));
const read = async (Key: string, more: object = {}): Promise<string> =>
  (await client.send(new GetObjectCommand({ Bucket, Key, ...more }))).Body?.transformToString() ?? "";
const list = (more: object) => client.send(new ListObjectsV2Command({ Bucket, ...more }));

test("the standard client as it comes is accepted, streams with trailing checksums included", async () => {
  await client.send(new HeadBucketCommand({ Bucket }));
  await put("plain.txt", "plain text", { ContentType: "text/plain", Metadata: { ferry: "north" } });
  expect(await read("plain.txt")).toBe("plain text");
  expect(await read("plain.txt", { Range: "bytes=6-" })).toBe("text");
  expect(await read("plain.txt", { Range: "bytes=-4" })).toBe("text");
  await expect(client.send(new GetObjectCommand({ Bucket, Key: "plain.txt", Range: "bytes=99-" }))).rejects.toMatchObject({ name: "InvalidRange" });
  await expect(
    client.send(new GetObjectCommand({ Bucket, Key: "plain.txt", IfNoneMatch: createHash("md5").update("plain text").digest("hex") })),
  ).rejects.toMatchObject({ $metadata: { httpStatusCode: 304 } });
  const { Readable } = await import("node:stream");
  const big = Buffer.alloc(300_000, "ferry ");
  await client.send(
    new PutObjectCommand({ Bucket, Key: "streamed.bin", Body: Readable.from([big.subarray(0, 100_000), big.subarray(100_000)]), ContentLength: big.length }),
  );
  expect(await read("streamed.bin")).toBe(big.toString());
}); // prettier-ignore

test("lists by prefix and delimiter, page by page, the same whatever the page size", async () => {
  const keys = ["l/a.txt", "l/b/", "l/b/1", "l/b/2", "l/c.txt", "l/d/1", "l/é", "l/z"];
  for (const key of keys) await put(key);
  const whole = await list({ Prefix: "l/", Delimiter: "/" });
  for (const MaxKeys of [1, 2, 3]) {
    const [contents, prefixes]: [string[], string[]] = [[], []];
    for (let token: string | undefined = ""; token !== undefined;) {
      const page: Awaited<ReturnType<typeof list>> = await list({ Prefix: "l/", Delimiter: "/", MaxKeys, ...(token === "" ? {} : { ContinuationToken: token }) });
      contents.push(...(page.Contents ?? []).map(({ Key = "" }) => Key));
      prefixes.push(...(page.CommonPrefixes ?? []).map(({ Prefix = "" }) => Prefix));
      token = page.NextContinuationToken;
    }
    expect([contents, prefixes]).toEqual([
      ["l/a.txt", "l/c.txt", "l/z", "l/é"],
      ["l/b/", "l/d/"],
    ]);
  }
  expect(whole.KeyCount).toBe(6);
  expect((await list({ Prefix: "l/", StartAfter: "l/b/1" })).Contents?.map(({ Key }) => Key)).toEqual(["l/b/2", "l/c.txt", "l/d/1", "l/z", "l/é"]);
}); // prettier-ignore

test("uploads in parts: out of order, replaced, copied, completed with the ETag of the protocol, or aborted without a trace", async () => {
  const create = async (Key: string): Promise<{ Bucket: string; Key: string; UploadId: string }> => {
    const { UploadId = "" } = await client.send(
      new CreateMultipartUploadCommand({ Bucket, Key, ContentType: "text/plain" }),
    );
    return { Bucket, Key, UploadId };
  };
  await put("source", "copied ");
  const upload = await create("parts.txt");
  const second = await client.send(new UploadPartCommand({ ...upload, PartNumber: 2, Body: "two" }));
  await client.send(new UploadPartCommand({ ...upload, PartNumber: 1, Body: "old" }));
  const first = await client.send(
    new UploadPartCopyCommand({ ...upload, PartNumber: 1, CopySource: `${Bucket}/source` }),
  );
  const Parts = [{ PartNumber: 1, ETag: first.CopyPartResult?.ETag }, { PartNumber: 2, ETag: second.ETag }]; // prettier-ignore
  expect(
    (await client.send(new ListMultipartUploadsCommand({ Bucket }))).Uploads?.map(({ Key }) => Key),
  ).toEqual(["parts.txt"]);
  await expect(
    client.send(
      new CompleteMultipartUploadCommand({
        ...upload,
        MultipartUpload: { Parts: [{ PartNumber: 1, ETag: '"wrong"' }] },
      }),
    ),
  ).rejects.toMatchObject({ name: "InvalidPart" });
  const { ETag } = await client.send(
    new CompleteMultipartUploadCommand({ ...upload, MultipartUpload: { Parts } }),
  );
  const sums = ["copied ", "two"].map((text) => createHash("md5").update(text).digest());
  expect(ETag).toBe(`"${createHash("md5").update(Buffer.concat(sums)).digest("hex")}-2"`);
  expect(await read("parts.txt")).toBe("copied two");
  const other = await create("never.txt");
  await client.send(new UploadPartCommand({ ...other, PartNumber: 1, Body: "x" }));
  await client.send(new AbortMultipartUploadCommand(other));
  await expect(
    client.send(new UploadPartCommand({ ...other, PartNumber: 1, Body: "x" })),
  ).rejects.toMatchObject({ name: "NoSuchUpload" });
  expect((await client.send(new ListMultipartUploadsCommand({ Bucket }))).Uploads ?? []).toEqual([]);
});

test("anonymous readers get what the bucket's policy gives them, and a denial wins", async () => {
  await put("public/a.txt", "a");
  await put(".courier/current.json", "{}");
  const status = (key: string): Promise<number> => fetch(`${sandbox.facts.endpoint}/${Bucket}/${key}`).then((answer) => answer.status);
  expect(await status("public/a.txt")).toBe(403);
  const Statement = [
    { Effect: "Allow", Principal: "*", Action: "s3:GetObject", Resource: `arn:aws:s3:::${Bucket}/*` },
    { Effect: "Deny", Principal: "*", Action: "s3:*", Resource: [`arn:aws:s3:::${Bucket}/.courier/*`] },
  ];
  await client.send(new PutBucketPolicyCommand({ Bucket, Policy: JSON.stringify({ Version: "2012-10-17", Statement }) }));
  expect(JSON.parse((await client.send(new GetBucketPolicyCommand({ Bucket }))).Policy ?? "")).toMatchObject({ Statement });
  expect([
    await status("public/a.txt"),
    await status(".courier/current.json"),
    await status("public/none.txt"),
    // Who may not list is not told what is missing.
  ]).toEqual([200, 403, 403]);
  expect((await fetch(`${sandbox.facts.endpoint}/${Bucket}/public/a.txt`, { method: "DELETE" })).status).toBe(403);
}); // prettier-ignore

test("a refusal is answered when all is read: whoever still sends would find the connection closed, and no answer", async () => {
  const piece = Buffer.alloc(1024 * 1024);
  const headers = { expect: "100-continue", connection: "close", "content-length": 32 * piece.length };
  const sending = request(`${sandbox.facts.endpoint}/${Bucket}/unsigned.bin`, { method: "PUT", headers });
  let isSent = false as boolean;
  sending.once("finish", () => (isSent = true));
  const answered = once(sending, "response").then(([answer]) => [
    (answer as IncomingMessage).statusCode,
    isSent,
  ]);
  for (let sent = 0; sent < 32; sent++) sending.write(piece);
  sending.end();
  expect(await answered).toEqual([403, true]);
});

test("bulk deletes say what they removed, and none is too many", async () => {
  await put("d/1");
  const { Deleted } = await client.send(
    new DeleteObjectsCommand({ Bucket, Delete: { Objects: [{ Key: "d/1" }, { Key: "d/never" }] } }),
  );
  expect(Deleted?.map(({ Key }) => Key)).toEqual(["d/1", "d/never"]);
  const Objects = Array.from({ length: 1001 }, (_, i) => ({ Key: `d/${i}` }));
  await expect(client.send(new DeleteObjectsCommand({ Bucket, Delete: { Objects } }))).rejects.toMatchObject({
    name: "MalformedXML",
  });
});

test("the edge with client routes answers unknown addresses with the entry page, and tells queries apart where it should", async () => {
  await put("index.html", "<p>entry</p>", { ContentType: "text/html", CacheControl: "s-maxage=60" });
  const visit = async (path: string): Promise<string> => {
    const answer = await fetch(sandbox.facts.edge + path);
    return `${answer.status} ${await answer.text()} ${/hit/.test(answer.headers.get("cache-status") ?? "") ? "held" : "asked"}`;
  };
  expect([await visit("/"), await visit("/"), await visit("/?a=1"), await visit("/app/settings")]).toEqual([
    "200 <p>entry</p> asked",
    "200 <p>entry</p> held",
    "200 <p>entry</p> asked",
    "200 <p>entry</p> asked",
  ]);
});

const SIGNED = {
  method: "GET",
  target: "/examplebucket/test.txt",
  headers: {
    host: "store.example", "x-amz-date": "20130524T000000Z", "x-amz-content-sha256": "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855",
    authorization: "AWS4-HMAC-SHA256 Credential=KEY/20130524/us-east-1/s3/aws4_request, SignedHeaders=host;x-amz-content-sha256;x-amz-date, Signature=0000000000000000000000000000000000000000000000000000000000000000",
  },
}; // prettier-ignore
const RULES = {
  identities: [{ accessKeyId: "KEY", secretAccessKey: "s", arn: "arn:aws:iam::1:user/key" }],
  region: "us-east-1",
  service: "s3" as const,
  nowMs: Date.UTC(2013, 4, 24),
};

test.each([
  ["a wrong signature", SIGNED, RULES, "SignatureDoesNotMatch"],
  ["an unknown key", SIGNED, { ...RULES, identities: [] }, "InvalidAccessKeyId"],
  ["another region", SIGNED, { ...RULES, region: "eu-west-1" }, "AuthorizationHeaderMalformed"],
  ["another service", SIGNED, { ...RULES, service: "cloudfront" as const }, "AuthorizationHeaderMalformed"],
  ["a clock that is wrong by twenty minutes", SIGNED, { ...RULES, nowMs: RULES.nowMs + 20 * 60_000 }, "RequestTimeTooSkewed"],
  ["a header of another kind", { ...SIGNED, headers: { authorization: "Basic x" } }, RULES, "AuthorizationHeaderMalformed"],
])("%s is refused in the protocol's words", (_, request, rules, code) => {
  expect(() => authenticate(request, rules)).toThrow(expect.objectContaining({ code }) as Error);
}); // prettier-ignore

test("an object table comes back from its journal, also when its last line was cut off, and leaves no bytes behind", () => {
  const data = folder();
  const table = new ObjectTable(data, "b");
  const object = { key: "a", size: 1, etag: "e", modifiedMs: 1, headers: {}, blob: "one" };
  table.put(object);
  appendFileSync(table.blobPath("one"), "x");
  table.put({ ...object, blob: "two" });
  appendFileSync(table.blobPath("two"), "y");
  table.put({ ...object, key: "gone", blob: "three" });
  table.remove("gone");
  table.change({ versioning: "Enabled" });
  appendFileSync(join(data, "journal.ndjson"), '{"remove":"a"');
  const again = new ObjectTable(data, "b");
  expect([again.keys(), again.get("a")?.blob, again.settings]).toEqual([
    ["a"],
    "two",
    { versioning: "Enabled" },
  ]);
  expect(readdirSync(join(data, "blobs"))).toEqual(["two"]);
});

test("a shared cache: variants stand beside each other, a stale answer is asked about again, a private one is never kept", async () => {
  const cache = new EdgeCache(PLAIN);
  let asked = 0;
  const answer = (headers: Record<string, string>) => () => {
    asked += 1;
    return Promise.resolve({ status: 200, heldSeconds: 0, headers, body: Buffer.from(String(asked)) });
  };
  const get = async (key: string, headers: Record<string, string>, language = "en"): Promise<string> => {
    const { body, cacheStatus } = await cache.answer(key, { method: "GET", url: key, headers: { host: "h", "accept-language": language } }, answer(headers));
    return `${body.toString()} ${cacheStatus.split(";")[0]}`;
  };
  const varied = { "cache-control": "max-age=60", vary: "accept-language" };
  expect([await get("/v", varied), await get("/v", varied, "de"), await get("/v", varied), await get("/v", varied, "de")]).toEqual([
    "1 fwd=uri-miss",
    "2 fwd=stale",
    "1 hit",
    "2 hit",
  ]);
  const secret = { "cache-control": "private, max-age=60" };
  expect([await get("/p", secret), await get("/p", secret)]).toEqual(["3 fwd=uri-miss", "4 fwd=uri-miss"]);
  expect([cache.forget("/v"), cache.forget("/v"), cache.forgetAll((key) => key.startsWith("/"))]).toEqual([true, false, 0]);
}); // prettier-ignore

import { once } from "node:events";
import { createServer, type Socket } from "node:net";
import type { AddressInfo } from "node:net";
import { gzipSync } from "node:zlib";
import fc from "fast-check";
import { createPurgeEdge } from "../../src/adapters/edges/purge/purge-edge.ts";
import { createHttpSite } from "../../src/adapters/public-site/http-site.ts";
import { createS3Bucket } from "../../src/adapters/stores/s3/bucket.ts";
import { createS3Store } from "../../src/adapters/stores/s3/s3-store.ts";
import { OperatorError } from "../../src/core/model/failure.ts";
import { readBucket } from "../../src/gather/read-bucket.ts";
import { readDestination, readImmutableNames } from "../../src/gather/read-destination.ts";
import { EdgeError } from "../../src/ports/edge.ts";
import { StoreError } from "../../src/ports/object-store.ts";
import { BELIEVED } from "../support/edges.ts";
import { fuzz, mutated, mutatedBytes } from "../support/fuzz.ts";

/** What the server sends next, whatever it is asked: bytes of a whole answer or of half of one, then an end or a break. */
let answer = { bytes: Buffer.alloc(0), breaks: false };
let endpoint = "";
const server = createServer((socket: Socket) => {
  socket.on("error", () => undefined);
  socket.on("data", () => {
    socket.write(answer.bytes);
    if (answer.breaks) socket.resetAndDestroy();
    else socket.end();
  });
});

beforeAll(async () => {
  // The store's client looks for credentials where it always does.
  Object.assign(process.env, { AWS_ACCESS_KEY_ID: "HARBOUR", AWS_SECRET_ACCESS_KEY: "secret-of-a-test" });
  server.listen(0, "127.0.0.1");
  await once(server, "listening");
  endpoint = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
});
afterAll(() => {
  server.close();
});

const object = (key: string, more = ""): string =>
  `<Contents><Key>${key}</Key><Size>12</Size><ETag>"e"</ETag><LastModified>2026-03-04T14:20:00.000Z</LastModified>${more}</Contents>`;
const LIST = `<?xml version="1.0"?><ListBucketResult><Name>harbour</Name><EncodingType>url</EncodingType><IsTruncated>false</IsTruncated>${object("site/a%2Bb.html")}${object("site/.courier/open/r.ndjson.gz")}${object("site/.courier/releases/1-r.ndjson.gz")}</ListBucketResult>`;
const BODIES = [
  LIST,
  LIST.replace("false", "true").replace("</Name>", "</Name><NextContinuationToken>t</NextContinuationToken>"),
  "<Error><Code>NoSuchKey</Code><Message>no</Message></Error>",
  "<Error><Code>SlowDown</Code></Error>",
  "<CopyObjectResult><ETag>e</ETag></CopyObjectResult>",
  "<DeleteResult><Error><Key>site/a</Key><Code>PreconditionFailed</Code></Error></DeleteResult>",
  "<ListVersionsResult><Version><Key>site/a</Key><VersionId>1</VersionId><Size>1</Size><IsLatest>false</IsLatest></Version></ListVersionsResult>",
  '{"format":"restless-courier/pointer/1","site":"s","release":1,"run":"r","retained":[],"owed":[],"announced":{}}',
  "<p>ferry</p>",
  "",
];
const HEADERS = `HTTP/1.1 200 OK\r\nETag: "e"\r\nContent-Type: application/xml\r\nDate: Wed, 04 Mar 2026 14:20:00 GMT\r\nx-amz-meta-a: b\r\nx-amz-request-id: 1\r\n`;
const HEADS = [
  HEADERS,
  ...[204, 301, 307, 400, 403, 404, 405, 409, 412, 416, 429, 500, 501, 503, 999].map((status) => HEADERS.replace("200 OK", `${status} Said`)),
  HEADERS.replace("x-amz-request-id: 1", "Retry-After: 99999999"),
  HEADERS.replace("x-amz-request-id: 1", "Content-Encoding: gzip"),
  HEADERS.replace("x-amz-request-id: 1", "Content-Encoding: br, gzip"),
  HEADERS.replace("x-amz-request-id: 1", "Location: http://127.0.0.1:1/"),
  HEADERS.replace("x-amz-request-id: 1", "Transfer-Encoding: chunked"),
  HEADERS.replace("application/xml", `text/html${" ".repeat(2000)};`),
]; // prettier-ignore

const answers = fc
  .record({
    head: fc.oneof({ weight: 3, arbitrary: fc.constantFrom(...HEADS) }, { weight: 1, arbitrary: mutated(HEADS) }),
    body: fc.oneof(mutated(BODIES).map((text) => Buffer.from(text)), mutatedBytes([gzipSync(BODIES[7] ?? ""), gzipSync("<p>ferry</p>")]), fc.constantFrom(...BODIES).map((text) => Buffer.from(text))),
    tells: fc.constantFrom("right", "more", "less", "nothing"),
    breaks: fc.boolean(),
  })
  .map(({ head, body, tells, breaks }) => {
    const length = { right: body.length, more: body.length + 5, less: Math.max(0, body.length - 5), nothing: undefined }[tells];
    const told = length === undefined || head.includes("chunked") ? "" : `Content-Length: ${length}\r\n`;
    return { bytes: Buffer.concat([Buffer.from(`${head}${told}\r\n`, "latin1"), body]), breaks };
  }); // prettier-ignore

type Foreign = typeof StoreError | typeof OperatorError | typeof EdgeError;

/** Waits for an end: a value, or an error of ours. */
async function endsWell(task: () => Promise<unknown>, own: readonly Foreign[]): Promise<void> {
  try {
    await task();
  } catch (error) {
    if (!own.some((kind) => error instanceof kind)) throw error;
  }
}

const content = { size: 1, hash: "a".repeat(64), open: () => Buffer.from("x") };

fuzz("answers of a store", {
  inputs: fc.tuple(answers, fc.nat(9)),
  isSlow: true,
  check: async ([next, call]) => {
    answer = next;
    const settings = { bucket: "harbour", prefix: "site/", endpoint, addressing: "path", idleMs: 1000 } as const;
    const store = createS3Store(settings, () => undefined);
    const bucket = createS3Bucket(settings);
    const calls: readonly (() => Promise<unknown>)[] = [
      () => readDestination(store, "practice"),
      () => readImmutableNames(store, { listing: [{ key: ".courier/immutable.json.gz", size: 1, etag: "e", modifiedMs: 0 }], storeTimeMs: 0 }),
      () => store.head("a"),
      async () => { for await (const chunk of (await store.get("a"))?.body ?? []) if (!(chunk instanceof Uint8Array)) throw new Error("no bytes"); },
      () => store.put("a", content, {}, { ifEtag: "e" }),
      () => store.copy({ key: "a", etag: "e" }, "b", {}, { ifAbsent: true }),
      () => store.remove(["a", "b"], new Map([["a", "e"]])),
      async () => { for await (const page of store.versions?.list() ?? []) if (!Array.isArray(page)) throw new Error("no page"); },
      () => store.readWebsite(),
      () => readBucket(bucket),
    ];
    await endsWell(calls[call] as () => Promise<unknown>, [StoreError, OperatorError]);
    store.close();
    bucket.close();
  },
}); // prettier-ignore

fuzz("answers of a cache, and of the public address", {
  inputs: fc.tuple(answers, fc.nat(3), fc.constantFrom("", "gzip", "br")),
  isSlow: true,
  check: async ([next, call, form]) => {
    answer = next;
    const settings = { name: "near", identity: "near", confirmation: { ...BELIEVED, longestFetch: 1 }, header: "x-purge-token", nodes: [endpoint], host: "www.pelicansound.example" };
    const edge = createPurgeEdge({ ...settings, patterns: "ban", encodings: ["gzip", ""] });
    const site = createHttpSite(endpoint);
    const calls: readonly (() => Promise<unknown>)[] = [
      () => edge.forget({ patterns: ["/a"], run: "r", ways: new Map([[endpoint, "each"]]) }),
      () => edge.forget({ patterns: ["/a/*"], run: "r" }),
      () => edge.look("/a", { place: endpoint, form }),
      () => site.ask("/a", { encoding: form }),
    ];
    await endsWell(calls[call] as () => Promise<unknown>, [EdgeError]);
    edge.close();
    site.close();
  },
}); // prettier-ignore

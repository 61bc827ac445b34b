import { once } from "node:events";
import { createServer, request, type IncomingHttpHeaders, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import { Readable } from "node:stream";
import { brotliDecompressSync, gunzipSync } from "node:zlib";
import { sendAnswer, type Answer } from "./send-answer.ts";

let server: Server;
let answer: Answer;
let compresses = true;
let counted: number | undefined;

beforeAll(async () => {
  server = createServer((asked, response) => {
    counted = undefined;
    void sendAnswer(asked, response, answer, { compresses }).then((bytes) => (counted = bytes));
  }).listen(0, "127.0.0.1");
  await once(server, "listening");
});
afterAll(() => server.close());

interface Got {
  readonly status: number | undefined;
  readonly headers: IncomingHttpHeaders;
  readonly body: Buffer;
}

async function ask(headers: Record<string, string> = {}, method = "GET"): Promise<Got> {
  const { port } = server.address() as AddressInfo;
  const call = request({ host: "127.0.0.1", port, method, headers, agent: false }).end();
  const [response] = (await once(call, "response")) as [import("node:http").IncomingMessage];
  const chunks: Buffer[] = [];
  for await (const chunk of response) chunks.push(chunk as Buffer);
  const body = Buffer.concat(chunks);
  expect(counted).toBe(body.length);
  return { status: response.statusCode, headers: response.headers, body };
}

const TEXT = Buffer.from("The ferry leaves at noon. ".repeat(80));
const page = (headers: Record<string, string> = {}): Answer => ({
  status: 200,
  headers: { "content-type": "text/html", etag: '"e"', "cache-control": "no-cache", ...headers },
  body: TEXT,
});

test("text is compressed for whoever takes it, under a weak ETag, and told apart by what was asked for", async () => {
  answer = page({ vary: "Origin" });
  const plain = await ask();
  const br = await ask({ "accept-encoding": "gzip, br" });
  const gz = await ask({ "accept-encoding": "gzip" });
  expect([plain.body, brotliDecompressSync(br.body), gunzipSync(gz.body)]).toEqual([TEXT, TEXT, TEXT]);
  const told = ({ headers }: Got) => [
    headers["content-encoding"],
    headers.etag,
    headers.vary,
    headers["accept-ranges"],
  ];
  expect(told(plain)).toEqual([undefined, '"e"', "Origin, Accept-Encoding", "bytes"]);
  expect(told(br)).toEqual(["br", 'W/"e"', "Origin, Accept-Encoding", undefined]);
  expect(told(gz)).toEqual(["gzip", 'W/"e"', "Origin, Accept-Encoding", undefined]);
  const head = await ask({ "accept-encoding": "br" }, "HEAD");
  expect([head.headers["content-length"], head.body.length]).toEqual([String(br.body.length), 0]);
  compresses = false;
  expect(told(await ask({ "accept-encoding": "br" }))).toEqual([undefined, '"e"', "Origin", "bytes"]);
  compresses = true;
});

test("a condition that holds sends no body, and says what a cache must know", async () => {
  answer = page();
  const same = await ask({ "if-none-match": '"x", W/"e"', "accept-encoding": "br" });
  expect([same.status, same.body.length]).toEqual([304, 0]);
  expect(same.headers).toMatchObject({ etag: 'W/"e"', "cache-control": "no-cache", vary: "Accept-Encoding" });
  expect(same.headers["content-type"]).toBeUndefined();
  expect((await ask({ "if-none-match": "*" }, "HEAD")).status).toBe(304);
  expect((await ask({ "if-match": '"x"' })).status).toBe(412);
  answer = { ...page(), status: 404 };
  expect((await ask({ "if-none-match": "*", range: "bytes=0-1" })).status).toBe(404);
});

const LARGE: Answer = {
  status: 200,
  headers: { "content-type": "video/mp4", etag: '"v"' },
  body: { size: TEXT.length, read: (start, end) => Readable.from([TEXT.subarray(start, end + 1)]) },
};

test.each([
  ["in memory", () => page()],
  ["read as it goes", () => LARGE],
])("parts of what is %s: one, several, none that there is, none where the answer is another", async (_, make) => {
  answer = make();
  const { etag = "" } = answer.headers;
  const one = await ask({ range: "bytes=4-8", "accept-encoding": "br" });
  expect([one.status, one.headers["content-range"], one.body.toString()]).toEqual([206, `bytes 4-8/${TEXT.length}`, "ferry"]);
  const several = await ask({ range: "bytes=-6, 4-8" });
  const [, boundary = ""] = /boundary=(\w+)$/.exec(several.headers["content-type"] ?? "") ?? [];
  const parts = several.body.toString().split(`--${boundary}`);
  expect(several.headers["content-length"]).toBe(String(several.body.length));
  expect(parts.map((part) => part.split("\r\n\r\n")[1])).toEqual([undefined, "noon. \r\n", "ferry\r\n", undefined]);
  expect(parts[1]).toContain(`content-range: bytes ${TEXT.length - 6}-${TEXT.length - 1}/${TEXT.length}`);
  const beyond = await ask({ range: "bytes=99999-" });
  expect([beyond.status, beyond.headers["content-range"]]).toEqual([416, `bytes */${TEXT.length}`]);
  expect((await ask({ range: "bytes=0-1", "if-range": etag })).status).toBe(206);
  expect((await ask({ range: "bytes=0-1", "if-range": '"old"' })).body).toEqual(TEXT);
  const head = await ask({ range: "bytes=0-1" }, "HEAD");
  expect([head.status, head.headers["content-length"]]).toEqual([200, String(TEXT.length)]);
}); // prettier-ignore

test("what is stored encoded is sent so, whatever is taken, and in parts of those bytes", async () => {
  answer = page({ "content-encoding": "gzip" });
  expect((await ask()).headers["content-encoding"]).toBe("gzip");
  const part = await ask({ range: "bytes=0-2" });
  expect([part.headers["content-encoding"], part.body]).toEqual(["gzip", TEXT.subarray(0, 3)]);
});

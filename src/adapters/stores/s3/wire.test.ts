import { createServer, type IncomingHttpHeaders, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import type { S3Settings } from "./client.ts";
import { Wire } from "./wire.ts";

interface Seen {
  readonly line: string;
  readonly headers: IncomingHttpHeaders;
  readonly body: string;
}

/** A server that answers so, and what it was asked. */
async function serve(status: number, body: string, headers: Record<string, string> = {}, breaksOff = false) {
  const seen: Seen[] = [];
  const server: Server = createServer((request, response) => {
    let text = "";
    request.on("data", (chunk: Buffer) => (text += chunk.toString()));
    request.on("end", () => {
      seen.push({ line: `${request.method} ${request.url}`, headers: request.headers, body: text });
      response.writeHead(status, headers);
      if (!breaksOff) response.end(body);
      else response.write(body, () => response.destroy());
    });
  });
  await new Promise<void>((done) => server.listen(0, "127.0.0.1", done));
  const { port } = server.address() as AddressInfo;
  const settings: S3Settings = { bucket: "practice", prefix: "", addressing: "path", endpoint: `http://127.0.0.1:${port}`, region: "r" }; // prettier-ignore
  const wire = new Wire(settings);
  const end = (): void => {
    wire.close();
    server.close();
  };
  return { wire, seen, end, host: `127.0.0.1:${port}` };
}

const OLD = { ...process.env };
beforeEach(() => {
  process.env.AWS_ACCESS_KEY_ID = "KEY";
  process.env.AWS_SECRET_ACCESS_KEY = "secret";
});
afterEach(() => {
  process.env = { ...OLD };
});

test("a request is signed as it goes out, and what is absent is left out", async () => {
  const { wire, seen, end, host } = await serve(200, "", { etag: '"e"', "content-length": "0" });
  const { headers } = await wire.send({
    ...{ method: "PUT", name: "news/a b.html", query: { "x-id": "one two", none: undefined } },
    headers: { "content-type": "text/html", "if-match": undefined, "x-amz-meta-note": "ferry" },
    content: { body: Buffer.from("text"), size: 4, hash: "ab" },
  });
  end();
  expect([headers.etag, seen[0]?.line, seen[0]?.body]).toEqual(['"e"', "PUT /practice/news/a%20b.html?x-id=one%20two", "text"]);
  expect(seen[0]?.headers).toMatchObject({ host, "content-length": "4", "content-type": "text/html", "x-amz-content-sha256": "ab" });
  expect(seen[0]?.headers.authorization).toMatch(/^AWS4-HMAC-SHA256 Credential=KEY\/\d{8}\/r\/s3\/aws4_request, SignedHeaders=[^,]*;x-amz-meta-note[^,]*, Signature=[0-9a-f]{64}$/);
  expect(Object.keys(seen[0]?.headers ?? {})).not.toEqual(expect.arrayContaining(["if-match"]));
}); // prettier-ignore

test("of a large body the store is asked first whether it takes it, of a small one not", async () => {
  const MEBIBYTE = 1024 * 1024;
  for (const [size, expected] of [[2 * MEBIBYTE - 1, undefined], [2 * MEBIBYTE, "100-continue"]] as const) {
    const { wire, seen, end } = await serve(200, "");
    await wire.send({ method: "PUT", name: "film.webm", content: { body: Buffer.alloc(size), size, hash: "ab" } });
    end();
    expect([size, seen[0]?.headers.expect, seen[0]?.body.length]).toEqual([size, expected, size]);
  }
}); // prettier-ignore

test("as anybody asks there is no signature, and nobody's credentials are looked for", async () => {
  delete process.env.AWS_ACCESS_KEY_ID;
  const { wire, seen, end } = await serve(200, "");
  await wire.send({ method: "HEAD", name: "a", isUnsigned: true });
  expect(seen[0]?.headers).not.toHaveProperty("authorization");
  expect(seen[0]?.headers).not.toHaveProperty("x-amz-content-sha256");
  await expect(wire.send({ method: "HEAD", name: "a" })).rejects.toMatchObject({
    name: "CredentialsProviderError",
  });
  end();
  expect(seen).toHaveLength(1);
});

const ERROR = "<Error><Code>SlowDown</Code><Message>Less &amp; less</Message></Error>";

test.each<[string, number, string, object]>([
  ["in words of the protocol", 503, ERROR, { name: "SlowDown", message: "Less & less", $metadata: { httpStatusCode: 503, requestId: "r1" } }],
  ["that comes after a good beginning", 200, ERROR, { name: "SlowDown", $metadata: { httpStatusCode: 503 } }],
  ["without words", 404, "", { name: "NotFound", message: "" }],
  ["in a page of somebody on the way", 502, "<html><p>bad gateway", { name: "502", $response: { statusCode: 502 } }],
  ["that is a page where a document should be", 200, "<html><p>sign in<br></body></html>", { name: "NoDocument", $metadata: { httpStatusCode: 200 } }],
  ["that is a whole page", 200, "<!DOCTYPE html><HTML><p>sign in</p></HTML>", { name: "NoDocument" }],
  ["that leads elsewhere", 301, "<Error><Code>PermanentRedirect</Code></Error>", { name: "PermanentRedirect" }],
])("a failure %s is an error of the SDK's form", async (_, status, body, error) => {
  const { wire, end } = await serve(status, body, { "x-amz-request-id": "r1" });
  await expect(wire.ask({ method: "GET", query: { "list-type": "2" } })).rejects.toMatchObject(error);
  end();
}); // prettier-ignore

test("a refusal whose words break off is known by its status", async () => {
  const { wire, end } = await serve(403, "<Error>", { "content-length": "99" }, true);
  await expect(wire.ask({ method: "GET" })).rejects.toMatchObject({
    code: "ECONNRESET",
    $metadata: { httpStatusCode: 403 },
  });
  end();
});

test("an answer without a document has no root, and one with a document is read", async () => {
  const empty = await serve(204, "");
  expect((await empty.wire.ask({ method: "DELETE", name: "a" })).root).toBeUndefined();
  empty.end();
  const full = await serve(200, "  \n<CopyObjectResult><ETag>e</ETag></CopyObjectResult>");
  expect((await full.wire.ask({ method: "PUT", name: "a" })).root).toMatchObject({
    name: "CopyObjectResult",
  });
  full.end();
});

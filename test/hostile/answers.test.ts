import type { IncomingMessage, ServerResponse } from "node:http";
import { gzipSync } from "node:zlib";
import { temporaryFolder, writeFiles } from "../support/builds.ts";
import { startFoulServer } from "../support/foul-server.ts";
import { AT_ONCE, Project, RunningSandbox } from "../support/program.ts";
import { listKeys, openStore } from "../support/stored-site.ts";
import { runWatched } from "../support/watched.ts";

let sandbox: RunningSandbox;
beforeAll(async () => {
  sandbox = await RunningSandbox.start();
});
afterAll(() => sandbox.stop());

const build = writeFiles(temporaryFolder("build"), { "index.html": "<p>ferry</p>", "app.css": "p{}" });
const page = writeFiles(temporaryFolder("build"), { "index.html": "<p>ferry</p>" });
const PIECE = Buffer.alloc(64 * 1024, "x");
/** A thousand times as much when it is unpacked; several of them are one gzip, too (RFC 1952 §2.2). */
const PACKED = gzipSync(Buffer.alloc(16_000_000, "x"));

/** Goes on for as long as somebody reads. */
function endless(response: ServerResponse, piece = PIECE): void {
  while (!response.destroyed && response.write(piece));
  if (!response.destroyed) response.once("drain", () => { endless(response, piece); });
} // prettier-ignore

type Answer = (request: IncomingMessage, response: ServerResponse) => void;

const xml = (response: ServerResponse, body: string, status = 200): void => {
  response.writeHead(status, { "content-type": "application/xml" }).end(body);
};

const listing = (keys: readonly string[], next?: string): string =>
  `<ListBucketResult><EncodingType>url</EncodingType><IsTruncated>${next !== undefined}</IsTruncated>${next === undefined ? "" : `<NextContinuationToken>${next}</NextContinuationToken>`}${keys.map((key) => `<Contents><Key>${key}</Key><Size>1</Size><ETag>"e"</ETag><LastModified>2026-03-04T14:20:00.000Z</LastModified></Contents>`).join("")}</ListBucketResult>`;

/** A store that is honest but for one thing. */
function foulStore({ list, get }: { list?: Answer; get?: Answer }): Promise<string> {
  return startFoulServer((request, response) => {
    const isList = request.url?.includes("list-type") === true;
    if (isList && list) {
      list(request, response);
      return;
    }
    if (isList) {
      xml(response, listing([]));
      return;
    }
    if (request.method === "GET" && get) {
      get(request, response);
      return;
    }
    xml(response, "<Error><Code>NoSuchKey</Code></Error>", 404);
  });
}

const settingsOf = (store: string): string =>
  [
    "site: Pelican Sound Ferries",
    `build: { folder: ${JSON.stringify(build)} }`,
    `destinations: { practice: { store: { kind: s3, bucket: harbour, prefix: site, endpoint: "${store}" } } }`,
    "",
  ].join("\n");

const KEYS = { accessKeyId: "HARBOUR", secretAccessKey: "secret-of-a-test" };
let pages = 0;
/** 640 MB, and nearly nothing before it is unpacked. */
const BOMB = Buffer.concat(Array<Buffer>(40).fill(gzipSync(Buffer.alloc(16_000_000, "{"))));

test.each<[string, { list?: Answer; get?: Answer }, RegExp]>([
  ["comes back to the same page for ever", { list: (_, response) => { xml(response, listing(["site/a"], "again")); } }, /endless list/],
  ["goes on without a name for ever", { list: (_, response) => { xml(response, listing([], `page-${++pages}`)); } }, /endless list/],
  ["lists what is not below the prefix", { list: (_, response) => { xml(response, listing(["site/a", "other/index.html"])); } }, /wrong list/],
  ["lists a name that can't be decoded", { list: (_, response) => { xml(response, listing(["site/%zz"])); } }, /wrong list/],
  ["never ends a page of its list", { list: (_, response) => { response.writeHead(200, { "content-type": "application/xml" }); endless(response); } }, /answered without end/],
  ["never ends an error", { list: (_, response) => { response.writeHead(403, { "content-type": "application/xml" }); endless(response); } }, /answered 403 without end/],
  ["never ends a record that tells no length", { get: (_, response) => { response.writeHead(200, { etag: '"e"' }); endless(response); } }, /answered without end|larger than a record/],
  ["tells of a record that is larger than any", { get: (_, response) => { response.writeHead(200, { etag: '"e"', "content-length": "4000000000" }); endless(response); } }, /answered without end|larger than a record/],
  ["sends a record that is no record", { get: (_, response) => { response.writeHead(200, { etag: '"e"' }).end('{"format":'); } }, /it is damaged/],
  ["redirects to itself", { list: (request, response) => { response.writeHead(307, { location: request.url }).end(); } }, /307/],
])("a store that %s ends the run with a word, and takes no memory", async (_, foul, words) => {
  const project = new Project(settingsOf(await foulStore(foul)), KEYS);
  const { exit, stderr, peak } = await runWatched(project, ["deliver"]);
  expect([exit, stderr]).toEqual([1, expect.stringMatching(words)]);
  expect(peak).toBeLessThan(400);
}); // prettier-ignore

test("a record that unpacks without end is refused, and named", async () => {
  const get: Answer = (request, response) => {
    if (request.url?.includes(".courier/open/") === true) response.writeHead(200, { etag: '"e"', "content-length": BOMB.length }).end(BOMB);
    else xml(response, "<Error><Code>NoSuchKey</Code></Error>", 404);
  };
  const store = await foulStore({ list: (_, response) => { xml(response, listing(["site/.courier/open/r.ndjson.gz"])); }, get });
  const { exit, stdout, peak } = await runWatched(new Project(settingsOf(store), KEYS), ["compare", "--format", "json"]);
  expect([exit, stdout]).toEqual([0, expect.stringContaining("open/r.ndjson.gz")]);
  expect(peak).toBeLessThan(600);
}); // prettier-ignore

const gzipped = { "content-encoding": "gzip", "content-type": "text/html" };
const FOUL_EDGES: readonly (readonly [string, Answer])[] = [
  ["never ends its body", (_, response) => { response.writeHead(200); endless(response); }],
  ["tells of a body that is larger than any", (_, response) => { response.writeHead(200, { "content-length": "900000000000" }); endless(response); }],
  ["sends a gzip bomb", (_, response) => { response.writeHead(200, { ...gzipped, "content-length": BOMB.length }).end(BOMB); }],
  ["never ends a gzip bomb", (_, response) => { response.writeHead(200, gzipped); endless(response, PACKED); }],
]; // prettier-ignore

test.each(FOUL_EDGES)("an edge that %s takes no memory, and what it did not confirm is owed", async (name, answer) => {
  const edge = await startFoulServer(answer);
  const prefix = `edge-${name.replace(/\W/g, "-")}`;
  const more = `    url: ${edge}\n    edge: { kind: purge, url: "${edge}", ${AT_ONCE} }`;
  const project = new Project(sandbox.settings(page, more, prefix), sandbox.facts);
  const { exit, peak } = await runWatched(project, ["deliver", "--allow", "exposed"]);
  expect([5, 1]).toContain(exit);
  expect(peak).toBeLessThan(500);
  // Whatever the edge does: what the store holds is whole.
  expect(await listKeys(openStore(sandbox, `${prefix}/`))).toEqual(expect.arrayContaining(exit === 5 ? ["index.html"] : []));
}); // prettier-ignore

test("one Ctrl-C ends a run that waits for an answer without end", async () => {
  let asked: () => void = () => undefined;
  const isAsked = new Promise<void>((resolve) => (asked = resolve));
  const store = await foulStore({
    list: (_, response) => {
      response.writeHead(200, { "content-type": "application/xml" });
      // A letter now and then: something moves.
      const clock = setInterval(() => response.write(" "), 200);
      response.once("close", () => {
        clearInterval(clock);
      });
      asked();
    },
  });
  const project = new Project(settingsOf(store), KEYS);
  const { exit, stderr } = await runWatched(project, ["deliver"], isAsked);
  expect([exit, stderr]).toEqual([130, expect.stringContaining("interrupted")]);
});

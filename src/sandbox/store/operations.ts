import { createHash } from "node:crypto";
import { copyFile } from "node:fs/promises";
import { createReadStream } from "node:fs";
import type { IncomingMessage, ServerResponse } from "node:http";
import { randomUUID } from "node:crypto";
import { pipeline } from "node:stream/promises";
import { receiveBody, receiveText, type ReceivedBody } from "./body.ts";
import { noSuchKey, preconditionFailed, ProtocolError } from "./failure.ts";
import type { ObjectTable, StoredObject } from "./object-table.ts";
import { many, parseXml, toXml } from "./xml.ts";

/** What an operation works on. */
export interface Call {
  /** Whether whoever asks may remove a key; of many at once each is asked about. */
  readonly mayRemove: (key: string) => boolean;
  readonly request: IncomingMessage;
  readonly response: ServerResponse;
  readonly table: ObjectTable;
  readonly key: string;
  readonly query: URLSearchParams;
  /** Another bucket of the same store, for copies. */
  readonly findTable: (bucket: string) => ObjectTable;
  /** Told the number of content bytes that came in. */
  readonly received: (bytes: number) => void;
}

const KEPT_HEADERS =
  /^(content-type|cache-control|content-encoding|content-disposition|content-language|expires|x-amz-meta-.+)$/;

export async function putObject(call: Call): Promise<void> {
  const { request, table, key, received } = call;
  const body = await receiveBody(request, (blob) => table.blobPath(blob));
  received(body.size);
  // Checked after the content is here and before it stands: nothing can come between.
  assertConditions(call, table.get(key));
  const { etag } = store(call, body, headersOf(request), body.md5);
  answer(call, 200, { etag: `"${etag}"` });
}

export async function getObject(call: Call): Promise<void> {
  const { request, response, table, key } = call;
  const object = table.get(key);
  if (!object) throw noSuchKey(key);
  const headers = toAnswerHeaders(object);
  if (request.headers["if-match"] !== undefined && unquoted(request.headers["if-match"]) !== object.etag)
    throw preconditionFailed("If-Match");
  if (unquoted(request.headers["if-none-match"]) === object.etag) {
    answer(call, 304, headers);
    return;
  }
  const range = parseRange(request.headers.range, object.size);
  const length = range ? range.end - range.start + 1 : object.size;
  const partial = range ? { "content-range": `bytes ${range.start}-${range.end}/${object.size}` } : {};
  response.writeHead(range ? 206 : 200, { ...headers, ...partial, "content-length": length });
  if (request.method === "HEAD" || length === 0) response.end();
  else await pipeline(createReadStream(table.blobPath(object.blob), range ?? {}), response);
}

export async function copyObject(call: Call): Promise<void> {
  const { request, table, findTable } = call;
  const { source, from } = findCopySource(call, findTable);
  const replace = String(request.headers["x-amz-metadata-directive"] ?? "COPY") === "REPLACE";
  if (source.key === call.key && from === table && !replace) {
    throw new ProtocolError(
      400,
      "InvalidRequest",
      "This copy request is illegal because it copies an object to itself without changing its metadata.",
    );
  }
  const blob = randomUUID();
  await copyFile(from.blobPath(source.blob), table.blobPath(blob));
  assertConditions(call, table.get(call.key));
  const etag = source.etag.includes("-") ? await md5OfFile(table.blobPath(blob)) : source.etag;
  const copied = store(
    call,
    { blob, size: source.size, md5: etag },
    replace ? headersOf(request) : source.headers,
    etag,
  );
  answerXml(
    call,
    toXml("CopyObjectResult", {
      LastModified: new Date(copied.modifiedMs).toISOString(),
      ETag: `"${copied.etag}"`,
    }),
  );
}

export function deleteObject(call: Call): Promise<void> {
  assertConditions(call, call.table.get(call.key));
  call.table.remove(call.key);
  answer(call, 204, {});
  return Promise.resolve();
}

export async function deleteObjects(call: Call): Promise<void> {
  const text = await receiveText(call.request);
  call.received(text.length);
  const { Object: objects, Quiet: quiet } = parseXml(text, "Delete");
  const keys = many(objects).map(({ Key }) => String(Key));
  if (keys.length === 0 || keys.length > 1000)
    throw new ProtocolError(400, "MalformedXML", "A delete names between 1 and 1000 objects.");
  const refused = new Set(keys.filter((key) => !call.mayRemove(key)));
  const removed = keys.filter((key) => !refused.has(key));
  for (const key of removed) call.table.remove(key);
  const failures = [...refused].map((Key) => ({
    Key,
    Code: "AccessDenied",
    Message: "The identity is not authorized to perform: s3:DeleteObject",
  }));
  answerXml(
    call,
    toXml("DeleteResult", {
      ...(quiet === "true" ? {} : { Deleted: removed.map((Key) => ({ Key })) }),
      ...(failures.length === 0 ? {} : { Error: failures }),
    }),
  );
}

/** Puts what was received under its key, in one step. */
export function store(
  { table, key }: Call,
  body: ReceivedBody,
  headers: Readonly<Record<string, string>>,
  etag: string,
): StoredObject {
  const { "x-amz-website-redirect-location": redirect, ...kept } = headers;
  const object = {
    key,
    size: body.size,
    etag,
    modifiedMs: Date.now(),
    headers: kept,
    blob: body.blob,
    ...(redirect === undefined ? {} : { redirect }),
  };
  table.put(object);
  return object;
}

/** The headers of a request that its object keeps. */
export function headersOf(request: IncomingMessage): Record<string, string> {
  const kept = Object.entries(request.headers).filter(
    ([name]) => KEPT_HEADERS.test(name) || name === "x-amz-website-redirect-location",
  );
  const headers = Object.fromEntries(kept.map(([name, value]) => [name, String(value)]));
  const encoding = headers["content-encoding"]?.replace(/(^|,\s*)aws-chunked(,\s*)?/, "");
  if (encoding === "") delete headers["content-encoding"];
  else if (encoding !== undefined) headers["content-encoding"] = encoding;
  return headers;
}

function toAnswerHeaders(object: StoredObject): Record<string, string> {
  return {
    "content-type": "binary/octet-stream",
    ...object.headers,
    ...(object.redirect === undefined ? {} : { "x-amz-website-redirect-location": object.redirect }),
    etag: `"${object.etag}"`,
    "last-modified": new Date(object.modifiedMs).toUTCString(),
    "accept-ranges": "bytes",
    "content-length": String(object.size),
  };
}

export function answer({ response }: Call, status: number, headers: Record<string, string>): void {
  response.writeHead(
    status,
    status === 204 || status === 304
      ? without(headers, "content-length")
      : { "content-length": "0", ...headers },
  );
  response.end();
}

export function answerXml({ response }: Call, xml: string): void {
  response.writeHead(200, { "content-type": "application/xml", "content-length": Buffer.byteLength(xml) });
  response.end(xml);
}

const without = (headers: Record<string, string>, name: string): Record<string, string> =>
  Object.fromEntries(Object.entries(headers).filter(([key]) => key !== name));

/** Conditional writes (RFC 9110 §13.1), by the ETag with or without its quotes. */
export function assertConditions({ request }: Call, standing: StoredObject | undefined): void {
  const match = request.headers["if-match"];
  if (request.headers["if-none-match"] === "*" && standing) throw preconditionFailed("If-None-Match");
  if (match === undefined) return;
  if (!standing) throw noSuchKey("");
  if (unquoted(match) !== standing.etag && match !== "*") throw preconditionFailed("If-Match");
}

export function findCopySource(
  { request }: Call,
  findTable: Call["findTable"],
): { source: StoredObject; from: ObjectTable } {
  const [, bucket = "", key = ""] =
    /^\/?([^/]+)\/(.+)$/s.exec(decodeURIComponent(String(request.headers["x-amz-copy-source"]))) ?? [];
  const from = findTable(bucket);
  const source = from.get(key);
  if (!source) throw noSuchKey(key);
  const match = request.headers["x-amz-copy-source-if-match"];
  if (match !== undefined && unquoted(String(match)) !== source.etag)
    throw preconditionFailed("x-amz-copy-source-If-Match");
  return { source, from };
}

export const unquoted = (etag: string | undefined): string | undefined => etag?.replace(/^(W\/)?"|"$/g, "");

export async function md5OfFile(path: string): Promise<string> {
  const sum = createHash("md5");
  for await (const chunk of createReadStream(path)) sum.update(chunk as Buffer);
  return sum.digest("hex");
}

/** One byte range (RFC 9110 §14.1.2); several, or none that can be satisfied, count as the whole. */
function parseRange(header: string | undefined, size: number): { start: number; end: number } | undefined {
  const [, first, last] = /^bytes=(\d*)-(\d*)$/.exec(header ?? "") ?? [];
  if (first === undefined || (first === "" && last === "") || size === 0) return undefined;
  const start = first === "" ? Math.max(0, size - Number(last)) : Number(first);
  const end = first === "" || last === "" ? size - 1 : Math.min(size - 1, Number(last));
  if (start >= size || end < start)
    throw new ProtocolError(416, "InvalidRange", "The requested range is not satisfiable");
  return { start, end };
}

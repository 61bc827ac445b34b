import { createHash } from "node:crypto";
import { copyFile } from "node:fs/promises";
import { createReadStream } from "node:fs";
import type { IncomingMessage, ServerResponse } from "node:http";
import { randomUUID } from "node:crypto";
import { pipeline } from "node:stream/promises";
import { receiveBody, receiveText, type ReceivedBody } from "./body.ts";
import { noSuchKey, preconditionFailed, ProtocolError } from "./failure.ts";
import type { ObjectTable, StoredObject } from "./object-table.ts";
import type { StoreTraits } from "./traits.ts";
import { many, parseXml, toXml } from "./xml.ts";

/** What an operation works on. */
export interface Call {
  /** Whether whoever asks may remove a key; of many at once each is asked about. */
  readonly mayRemove: (key: string, isVersion: boolean) => boolean;
  readonly traits: StoreTraits;
  /** Keys to which a conditional write is under way. */
  readonly underWay: Set<string>;
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
  assertSummed(call);
  await alone(call, async () => {
    const body = await receiveBody(request, (blob) => table.blobPath(blob));
    received(body.size);
    // Checked after the content is here and before it stands: nothing can come between.
    assertConditions(call, table.get(key));
    const { etag } = store(call, body, headersOf(request), body.md5);
    answer(call, 200, { etag: `"${etag}"` });
  });
}

/** Of two conditional writes of one key at the same moment a store may refuse the later one, whatever it asks for. */
async function alone(
  { request, table, key, traits, underWay }: Call,
  write: () => Promise<void>,
): Promise<void> {
  const name = `${table.bucket}/${key}`;
  const isConditional =
    request.headers["if-match"] !== undefined || request.headers["if-none-match"] !== undefined;
  if (!traits.conflicts || !isConditional) return write();
  if (underWay.has(name))
    throw new ProtocolError(
      409,
      "ConditionalRequestConflict",
      "The conditional request cannot succeed due to a conflicting operation against this resource.",
    );
  underWay.add(name);
  try {
    // Long enough to be met.
    await new Promise((done) => setTimeout(done, 10));
    await write();
  } finally {
    underWay.delete(name);
  }
}

/** A bucket that locks its objects takes none of which it can't check every byte. */
export function assertSummed({ request, traits }: Call): void {
  const { headers } = request;
  const isSummed = Object.keys(headers).some((name) => /^(content-md5|x-amz-checksum-.+)$/.test(name));
  if (!traits.locksObjects || isSummed) return;
  throw new ProtocolError(
    400,
    "InvalidRequest",
    "Content-MD5 OR x-amz-checksum- HTTP header is required for Put Object requests with Object Lock parameters",
  );
}

export async function getObject(call: Call): Promise<void> {
  const { request, response, table, key } = call;
  const version = call.query.get("versionId");
  const object = version === null ? table.get(key) : table.getVersion(key, version);
  if (!object) throw noSuchKey(key);
  const asksForSum = request.headers["x-amz-checksum-mode"] === "ENABLED";
  const headers = { ...toAnswerHeaders(object), ...(asksForSum ? toSumHeaders(object) : {}) };
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
  if (call.traits.conditions === "all") assertConditions(call, table.get(call.key));
  const etag = source.etag.includes("-") ? await md5OfFile(table.blobPath(blob)) : source.etag;
  const { sha256 } = source;
  const copied = store(
    call,
    { blob, size: source.size, md5: etag, ...(sha256 === undefined ? {} : { sha256 }) },
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
  const version = call.query.get("versionId");
  if (version !== null) removeVersion(call, call.key, version);
  else {
    if (call.traits.conditions === "all") assertConditions(call, call.table.get(call.key));
    call.table.remove(call.key);
  }
  answer(call, 204, {});
  return Promise.resolve();
}

function removeVersion({ table, traits }: Call, key: string, version: string): void {
  if (traits.locksObjects)
    throw new ProtocolError(403, "AccessDenied", "Access Denied because object protected by object lock.");
  table.removeVersion(key, version);
}

export async function deleteObjects(call: Call): Promise<void> {
  const text = await receiveText(call.request);
  call.received(text.length);
  const { Object: objects, Quiet: quiet } = parseXml(text, "Delete");
  const asked = many(objects) as { Key?: string; VersionId?: string; ETag?: unknown }[];
  if (asked.length === 0 || asked.length > 1000)
    throw new ProtocolError(400, "MalformedXML", "A delete names between 1 and 1000 objects.");
  const removed: object[] = [];
  const failures: object[] = [];
  for (const { Key, VersionId, ETag } of asked) {
    const key = String(Key);
    const version = VersionId === undefined ? {} : { VersionId };
    try {
      removeOne(call, key, version.VersionId, ETag);
      removed.push({ Key: key, ...version });
    } catch (error) {
      if (!(error instanceof ProtocolError)) throw error;
      failures.push({ Key: key, ...version, Code: error.code, Message: error.message });
    }
  }
  answerXml(
    call,
    toXml("DeleteResult", {
      ...(quiet === "true" ? {} : { Deleted: removed }),
      ...(failures.length === 0 ? {} : { Error: failures }),
    }),
  );
}

function removeOne(call: Call, key: string, version: string | undefined, etag: unknown): void {
  if (!call.mayRemove(key, version !== undefined))
    throw new ProtocolError(
      403,
      "AccessDenied",
      `The identity is not authorized to perform: s3:DeleteObject${version === undefined ? "" : "Version"}`,
    );
  if (version !== undefined) {
    removeVersion(call, key, version);
    return;
  }
  const standing = call.table.get(key);
  const isOther = etag !== undefined && standing && unquoted(toEtag(etag)) !== standing.etag;
  if (isOther && call.traits.conditions === "all") throw preconditionFailed("ETag");
  call.table.remove(key);
}

const toEtag = (value: unknown): string => String(value).replace(/&quot;/g, '"');

/** Puts what was received under its key, in one step. */
export function store(
  { table, key, traits }: Call,
  body: ReceivedBody,
  headers: Readonly<Record<string, string>>,
  etag: string,
): StoredObject {
  const isSummed = body.sha256 !== undefined && !traits.noChecksums;
  const { "x-amz-website-redirect-location": redirect, ...kept } = headers;
  const object = {
    key,
    size: body.size,
    etag: traits.opaqueEtags ? randomUUID().replaceAll("-", "") : etag,
    modifiedMs: Date.now(),
    headers: kept,
    blob: body.blob,
    ...(redirect === undefined ? {} : { redirect }),
    ...(isSummed ? { sha256: body.sha256 } : {}),
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
  assertMetadata(headers);
  const encoding = headers["content-encoding"]?.replace(/(^|,\s*)aws-chunked(,\s*)?/, "");
  if (encoding === "") delete headers["content-encoding"];
  else if (encoding !== undefined) headers["content-encoding"] = encoding;
  return headers;
}

/** What the protocol lets an object have of metadata, in bytes. */
const MOST_METADATA = 2048;
const METADATA_PREFIX = "x-amz-meta-";

function assertMetadata(headers: Readonly<Record<string, string>>): void {
  const size = Object.entries(headers)
    .filter(([name]) => name.startsWith(METADATA_PREFIX))
    .reduce((sum, [name, value]) => sum + name.length - METADATA_PREFIX.length + Buffer.byteLength(value), 0);
  if (size > MOST_METADATA)
    throw new ProtocolError(
      400,
      "MetadataTooLarge",
      "Your metadata headers exceed the maximum allowed metadata size",
    );
}

const toSumHeaders = ({ sha256 }: StoredObject): Record<string, string> =>
  sha256 === undefined ? {} : { "x-amz-checksum-sha256": sha256, "x-amz-checksum-type": "FULL_OBJECT" };

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
export function assertConditions({ request, traits }: Call, standing: StoredObject | undefined): void {
  if (traits.conditions === "none") return;
  const match = request.headers["if-match"];
  if (request.headers["if-none-match"] === "*" && standing) throw preconditionFailed("If-None-Match");
  if (match === undefined) return;
  if (!standing) throw noSuchKey("");
  if (unquoted(match) !== standing.etag && match !== "*") throw preconditionFailed("If-Match");
}

export function findCopySource(
  { request, traits }: Call,
  findTable: Call["findTable"],
): { source: StoredObject; from: ObjectTable } {
  const [, bucket = "", key = ""] =
    /^\/?([^/]+)\/(.+)$/s.exec(decodeURIComponent(String(request.headers["x-amz-copy-source"]))) ?? [];
  const from = findTable(bucket);
  const source = from.get(key);
  if (!source) throw noSuchKey(key);
  const match = request.headers["x-amz-copy-source-if-match"];
  const isUnpinned = traits.partsUnpinned && source.etag.includes("-");
  if (match !== undefined && (isUnpinned || unquoted(String(match)) !== source.etag))
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

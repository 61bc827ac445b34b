import { randomBytes } from "node:crypto";
import type { IncomingMessage, ServerResponse } from "node:http";
import { Readable } from "node:stream";
import { pipeline } from "node:stream/promises";
import { brotliCompressSync, constants, gzipSync } from "node:zlib";
import { chooseCoding, isCompressed, type Coding } from "../core/answers/coding.ts";
import { countsForRange, decideCondition, type RequestHeaders } from "../core/answers/conditions.ts";
import { decideRanges } from "../core/answers/ranges.ts";

/** A body that is not wholly in memory. */
interface LargeBody {
  /** Bytes. */
  readonly size: number;
  /** A part, both ends included. */
  readonly read: (start: number, end: number) => NodeJS.ReadableStream;
}

/** What a visitor would get without any condition, range or coding. */
export interface Answer {
  readonly status: number;
  /** By lower-case name. */
  readonly headers: Readonly<Record<string, string>>;
  readonly body: Buffer | LargeBody;
}

export interface SendOptions {
  /** Whether text is compressed here for clients that take it. */
  readonly compresses: boolean;
}

/**
 * Sends an answer as a cache before a store does: only where a condition lets it (RFC 9110 §13), in parts where they are
 * asked for (§14), compressed where the client takes it and it pays (§12.5.3).
 * @returns the number of body bytes
 */
export async function sendAnswer(
  request: IncomingMessage,
  response: ServerResponse,
  answer: Answer,
  { compresses }: SendOptions,
): Promise<number> {
  const { "content-length": _, connection: _c, ...headers } = answer.headers;
  const { status, body } = answer;
  const asked = toRequestHeaders(request);
  const size = sizeOf(body);
  const canCode = compresses && Buffer.isBuffer(body) && isCompressed(headers, size);
  const vary = canCode ? { vary: addVary(headers.vary) } : {};
  const validators = { etag: headers.etag, lastModified: headers["last-modified"] };
  if (status === 200) {
    const outcome = decideCondition(asked, validators);
    if (outcome === "failed") return end(response, 412, { ...withoutContent(headers), ...vary });
    if (outcome === "not-modified") {
      const coding = canCode ? chooseCoding(asked["accept-encoding"]) : undefined;
      return end(response, 304, { ...withoutContent(headers), ...vary, ...weakened(headers.etag, coding) });
    }
    const counts = request.method === "GET" && countsForRange(asked, validators);
    const ranges = decideRanges(counts ? asked.range : undefined, size);
    if (ranges.send === "nothing") {
      const of = { "content-range": `bytes */${size}`, "content-length": 0 };
      return end(response, 416, { ...withoutContent(headers), ...of });
    }
    // A part is one of the bytes as they stand: those of a coding made here are never the same twice.
    if (ranges.send === "parts")
      return sendParts(
        response,
        { headers: { ...headers, ...vary, ...ACCEPTS_RANGES }, body },
        ranges.ranges,
      );
  }
  const coding = canCode ? chooseCoding(asked["accept-encoding"]) : undefined;
  const coded = coding === undefined || !Buffer.isBuffer(body) ? body : compress(body, coding);
  response.writeHead(status, {
    ...headers,
    ...vary,
    ...(coding === undefined ? (status === 200 ? ACCEPTS_RANGES : {}) : { "content-encoding": coding }),
    ...weakened(headers.etag, coding),
    "content-length": sizeOf(coded),
  });
  if (request.method === "HEAD") return end(response);
  return sendWhole(response, coded);
}

const ACCEPTS_RANGES = { "accept-ranges": "bytes" };

const sizeOf = (body: Answer["body"]): number => (Buffer.isBuffer(body) ? body.length : body.size);

/** Several lines of one header are one list (RFC 9110 §5.3). */
const toRequestHeaders = ({ headers }: IncomingMessage): RequestHeaders =>
  Object.fromEntries(Object.entries(headers).map(([name, value]) => [name, value?.toString()]));

/** Whoever keeps answers must tell this one apart by the coding that was asked for. */
function addVary(vary: string | undefined): string {
  if (vary === undefined) return "Accept-Encoding";
  return /(^|,)\s*(\*|accept-encoding)\s*(,|$)/i.test(vary) ? vary : `${vary}, Accept-Encoding`;
}

/** Bytes that are coded here are not those that the ETag stands for: it says only that they mean the same. */
const weakened = (etag: string | undefined, coding: Coding | undefined): { readonly etag?: string } =>
  etag === undefined || coding === undefined ? {} : { etag: etag.startsWith("W/") ? etag : `W/${etag}` };

/** What an answer without a body still says (RFC 9110 §15.4.5). */
const withoutContent = (headers: Answer["headers"]): Record<string, string> =>
  Object.fromEntries(
    Object.entries(headers).filter(
      ([name]) => !/^content-(type|encoding|language|disposition|range)$/.test(name),
    ),
  );

function end(response: ServerResponse, status?: number, headers?: Record<string, string | number>): number {
  if (status !== undefined) response.writeHead(status, headers);
  response.end();
  return 0;
}

async function sendWhole(response: ServerResponse, body: Answer["body"]): Promise<number> {
  if (Buffer.isBuffer(body)) {
    response.end(body);
    return body.length;
  }
  if (body.size === 0) return end(response);
  await pipeline(body.read(0, body.size - 1), response);
  return body.size;
}

type Part = { readonly start: number; readonly end: number };

/** One part as it is, several as `multipart/byteranges` (RFC 9110 §14.6, §15.3.7). */
async function sendParts(
  response: ServerResponse,
  { headers, body }: Omit<Answer, "status">,
  parts: readonly Part[],
): Promise<number> {
  const size = sizeOf(body);
  const lengthOf = ({ start, end }: Part): number => end - start + 1;
  const read = ({ start, end }: Part): NodeJS.ReadableStream =>
    Buffer.isBuffer(body) ? Readable.from([body.subarray(start, end + 1)]) : body.read(start, end);
  const rangeOf = ({ start, end }: Part): string => `bytes ${start}-${end}/${size}`;
  const [first] = parts;
  if (first && parts.length === 1) {
    response.writeHead(206, {
      ...headers,
      "content-range": rangeOf(first),
      "content-length": lengthOf(first),
    });
    await pipeline(read(first), response);
    return lengthOf(first);
  }
  const boundary = randomBytes(12).toString("hex");
  const type = headers["content-type"];
  const heads = parts.map(
    (part) =>
      `\r\n--${boundary}\r\n${type === undefined ? "" : `content-type: ${type}\r\n`}content-range: ${rangeOf(part)}\r\n\r\n`,
  );
  const last = `\r\n--${boundary}--\r\n`;
  const length = parts.reduce(
    (sum, part, at) => sum + lengthOf(part) + (heads[at] as string).length,
    last.length,
  );
  response.writeHead(206, {
    ...headers,
    "content-type": `multipart/byteranges; boundary=${boundary}`,
    "content-length": length,
  });
  async function* write(): AsyncGenerator<string | Uint8Array> {
    for (const [at, part] of parts.entries()) {
      yield heads[at] as string;
      for await (const chunk of read(part)) yield chunk;
    }
    yield last;
  }
  await pipeline(write, response);
  return length;
}

const compressed = new WeakMap<Buffer, Map<Coding, Buffer>>();

function compress(body: Buffer, coding: Coding): Buffer {
  const known = compressed.get(body) ?? new Map<Coding, Buffer>();
  compressed.set(body, known);
  const done =
    known.get(coding) ??
    (coding === "br"
      ? brotliCompressSync(body, { params: { [constants.BROTLI_PARAM_QUALITY]: 5 } })
      : gzipSync(body));
  known.set(coding, done);
  return done;
}

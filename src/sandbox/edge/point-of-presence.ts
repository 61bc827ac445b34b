import { createServer, type IncomingMessage, type Server, type ServerResponse } from "node:http";
import { brotliCompressSync, constants, gzipSync } from "node:zlib";
import type { ObjectTable } from "../store/object-table.ts";
import { EdgeCache, type CachedAnswer } from "./cache.ts";
import { askOrigin, type OriginOptions } from "./origin.ts";

export interface PointOptions {
  readonly name: string;
  /** The bucket that it stands before; throws where there is none. */
  readonly table: () => ObjectTable;
  readonly origin: OriginOptions;
  /** Whether `/a?x=1` and `/a` are held apart. */
  readonly query: "ignored" | "keyed";
  readonly purgeToken: string;
  readonly log: (line: AccessLine) => void;
}

/** What the access log says of one request. */
export interface AccessLine {
  readonly point: string;
  readonly method: string;
  readonly path: string;
  readonly query: string;
  readonly status: number;
  readonly bytes: number;
  readonly seconds: number;
  readonly cacheStatus: string;
  readonly referrer: string;
}

const COMPRESSIBLE = /^(text\/|application\/(javascript|json|manifest\+json|xml|wasm)|image\/svg)/;
/** Smaller answers are sent as they are. */
const LEAST_COMPRESSED = 1024;

/** One point of presence: a caching proxy with a port of its own. */
export class PointOfPresence {
  readonly server: Server;
  readonly cache = new EdgeCache();

  constructor(private readonly options: PointOptions) {
    this.server = createServer((request, response) => void this.handle(request, response));
    this.server.keepAliveTimeout = 60_000;
  }

  /** What answers are told apart by. */
  keyOf(target: string): string {
    return this.options.query === "keyed" ? target : target.replace(/\?.*$/s, "");
  }

  private async handle(request: IncomingMessage, response: ServerResponse): Promise<void> {
    const started = performance.now();
    const target = request.url ?? "/";
    let [bytes, cacheStatus] = [0, "none"];
    try {
      if (request.method === "PURGE") this.purge(request, response, target);
      else if (request.method !== "GET" && request.method !== "HEAD")
        response.writeHead(405, { allow: "GET, HEAD, PURGE" }).end();
      else {
        const answer = await this.answer(request, target);
        bytes = send(request, response, answer);
        ({ cacheStatus } = answer);
      }
    } catch (error) {
      if (!response.headersSent) response.writeHead(502, { "content-type": "text/plain" });
      response.end(`the origin could not be asked: ${String(error)}\n`);
    }
    const [path = "/", query = ""] = target.split(/\?(.*)/s);
    const seconds = (performance.now() - started) / 1000;
    this.options.log({
      point: this.options.name,
      method: request.method ?? "",
      path,
      query,
      status: response.statusCode,
      bytes,
      seconds,
      cacheStatus,
      referrer: request.headers.referer ?? "",
    });
  }

  private answer(request: IncomingMessage, target: string): Promise<CachedAnswer> {
    const { table, origin } = this.options;
    const [path = "/"] = target.split("?");
    // A visitor's reload does not make the edge ask again: what they say of caches is between them and their own.
    const told = Object.entries(request.headers).filter(
      ([name]) => !/^(cache-control|pragma|if-.*|range)$/.test(name),
    );
    const facts = {
      method: "GET",
      url: target,
      headers: Object.fromEntries(told.map(([name, value]) => [name, String(value)])),
    };
    return this.cache.answer(this.keyOf(target), facts, (ifNoneMatch) =>
      askOrigin(table(), path, ifNoneMatch, origin),
    );
  }

  /** HTTP PURGE for one address at this point; 404 says that it was not held. */
  private purge(request: IncomingMessage, response: ServerResponse, target: string): void {
    if (request.headers["x-purge-token"] !== this.options.purgeToken) {
      response.writeHead(403).end("forbidden\n");
      return;
    }
    const held = this.cache.forget(this.keyOf(target));
    response
      .writeHead(held ? 200 : 404, { "content-type": "text/plain" })
      .end(held ? "purged\n" : "not cached\n");
  }
}

/** Sends an answer, compressed where the client takes it and it pays. @returns the number of body bytes */
function send(
  request: IncomingMessage,
  response: ServerResponse,
  { status, headers, body, cacheStatus }: CachedAnswer,
): number {
  const { "content-length": _, connection: _c, ...kept } = headers;
  const canCompress =
    COMPRESSIBLE.test(kept["content-type"] ?? "") &&
    kept["content-encoding"] === undefined &&
    body.length >= LEAST_COMPRESSED;
  const encoding = canCompress ? chooseEncoding(String(request.headers["accept-encoding"] ?? "")) : undefined;
  const sent = encoding === undefined ? body : compress(body, encoding);
  const vary = canCompress ? { vary: "Accept-Encoding" } : {};
  const coded =
    encoding === undefined
      ? {}
      : { "content-encoding": encoding, ...(kept.etag === undefined ? {} : { etag: `W/${kept.etag}` }) };
  const answerHeaders: Record<string, string | number> = {
    ...kept,
    ...vary,
    ...coded,
    "cache-status": `courier-sandbox; ${cacheStatus}`,
  };
  const seen = request.headers["if-none-match"]?.replace(/^W\//, "");
  if (status === 200 && seen !== undefined && seen === kept.etag) {
    response.writeHead(304, answerHeaders).end();
    return 0;
  }
  response.writeHead(status, { ...answerHeaders, "content-length": sent.length });
  response.end(request.method === "HEAD" ? undefined : sent);
  return request.method === "HEAD" ? 0 : sent.length;
}

/** The best of the codings that the client takes (RFC 9110 §12.5.3); `q=0` refuses one. */
function chooseEncoding(accepted: string): "br" | "gzip" | undefined {
  const takes = (coding: string): boolean =>
    accepted
      .split(",")
      .some((part) => new RegExp(`^\\s*${coding}\\s*(;(?!\\s*q=0(\\.0*)?\\s*$).*)?$`, "i").test(part));
  return takes("br") ? "br" : takes("gzip") ? "gzip" : undefined;
}

const compressed = new WeakMap<Buffer, Map<string, Buffer>>();

function compress(body: Buffer, encoding: "br" | "gzip"): Buffer {
  const known = compressed.get(body) ?? new Map<string, Buffer>();
  compressed.set(body, known);
  const done =
    known.get(encoding) ??
    (encoding === "br"
      ? brotliCompressSync(body, { params: { [constants.BROTLI_PARAM_QUALITY]: 5 } })
      : gzipSync(body));
  known.set(encoding, done);
  return done;
}

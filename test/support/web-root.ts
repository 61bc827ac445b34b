import { readFileSync, statSync } from "node:fs";
import { createServer, request, type IncomingMessage, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import { join } from "node:path";
import { brotliCompressSync, brotliDecompressSync, gunzipSync, gzipSync } from "node:zlib";

/** A plain web server over a folder: index documents, compression that varies, a not-found page that may be held. */
export class WebRoot {
  private readonly server: Server;
  /** Answers that were read and are held back until they are released. */
  private readonly held = new Map<string, (() => void)[]>();
  private readonly slow = new Set<string>();
  requests = 0;

  /** @param varies whether answers are compressed as the client takes it, and say that they vary by that */
  constructor(
    private readonly folder: string,
    private readonly varies = true,
  ) {
    this.server = createServer((incoming, response) => {
      this.requests += 1;
      const path = (incoming.url ?? "/").replace(/\?.*/, "");
      const answer = this.read(path, incoming.headers["accept-encoding"] ?? "");
      const send = (): void => {
        response.writeHead(answer.status, answer.headers).end(answer.body);
      };
      if (!this.slow.delete(path)) send();
      else this.held.set(path, [...(this.held.get(path) ?? []), send]);
    });
    // As some servers do: a client must take that for what it is.
    this.server.maxRequestsPerSocket = 1000;
  }

  async start(): Promise<string> {
    await new Promise<void>((done) => this.server.listen(0, "127.0.0.1", done));
    return `http://127.0.0.1:${(this.server.address() as AddressInfo).port}`;
  }

  stop(): void {
    this.server.closeAllConnections();
    this.server.close();
  }

  /** The next request for this path is read now and answered when it is released. */
  holdBack(path: string): void {
    this.slow.add(path);
  }

  isHolding = (path: string): boolean => this.held.has(path);

  release(path: string): void {
    for (const send of this.held.get(path) ?? []) send();
    this.held.delete(path);
  }

  private read(
    path: string,
    encodings: string,
  ): { status: number; headers: Record<string, string>; body: Buffer } {
    const [status, file] = this.find(path);
    const content = file === undefined ? Buffer.from("not found") : readFileSync(file);
    const common = { "cache-control": "public, max-age=0, s-maxage=86400" };
    if (!this.varies) return { status, headers: common, body: content };
    const varying = { ...common, vary: "Accept-Encoding" };
    const coding = /\bbr\b/.test(encodings) ? "br" : /\bgzip\b/.test(encodings) ? "gzip" : undefined;
    if (coding === undefined) return { status, headers: varying, body: content };
    const body = coding === "br" ? brotliCompressSync(content) : gzipSync(content);
    return { status, headers: { ...varying, "content-encoding": coding }, body };
  }

  private find(path: string): [number, string | undefined] {
    const file = join(this.folder, decodeURIComponent(path), path.endsWith("/") ? "index.html" : "");
    try {
      if (!path.startsWith("/.courier") && statSync(file).isFile()) return [200, file];
    } catch {
      // Not there.
    }
    return [404, undefined];
  }
}

export interface Visit {
  readonly status: number;
  readonly headers: IncomingMessage["headers"];
  /** Decoded. */
  readonly content: string;
}

/** A visitor's request to one node of a cache, under the public name, with just this `Accept-Encoding`. */
export function visitNode(
  node: string,
  path: string,
  {
    host,
    encoding,
    method = "GET",
    headers = {},
  }: { host: string; encoding?: string; method?: string; headers?: Record<string, string> },
): Promise<Visit> {
  const { hostname, port } = new URL(node);
  const form = encoding === undefined || encoding === "" ? {} : { "accept-encoding": encoding };
  return new Promise((resolve, reject) => {
    const call = request(
      { hostname, port, path, method, headers: { host, ...form, ...headers }, agent: false },
      (answer) => {
        const chunks: Buffer[] = [];
        answer.on("data", (chunk: Buffer) => chunks.push(chunk));
        answer.once("end", () => {
          const body = Buffer.concat(chunks);
          const coding = answer.headers["content-encoding"];
          const content =
            coding === "br" ? brotliDecompressSync(body) : coding === "gzip" ? gunzipSync(body) : body;
          resolve({
            status: answer.statusCode ?? 0,
            headers: answer.headers,
            content: content.toString("latin1"),
          });
        });
      },
    );
    call.once("error", reject);
    call.end();
  });
}

import { createServer, type IncomingMessage, type Server, type ServerResponse } from "node:http";
import { createServer as createSecureServer } from "node:https";
import { sendAnswer, type Answer } from "../../serving/send-answer.ts";
import { millisecondsOf, strike, type Faults } from "../faults.ts";
import { forLoopback } from "../loopback.ts";
import { ProtocolError } from "../store/failure.ts";
import type { ObjectTable } from "../store/object-table.ts";
import { EdgeCache, FORM_MARK, type CachedAnswer } from "./cache.ts";
import type { Certificate } from "../../serving/certificate.ts";
import { askOrigin, findPreview, toPreviewPrefix, type OriginOptions } from "./origin.ts";
import type { Behaviour } from "./behaviour.ts";
import { runFunction } from "./run-function.ts";
import type { Traits } from "./traits.ts";

/** The distribution that a request means, as this point knows it by now. */
export interface Served {
  readonly id: string;
  readonly behaviour: Behaviour;
  /** The code of the function that is run for each request; undefined: none. */
  readonly code: string | undefined;
  /** Headers that every answer gets, by lower-case name. */
  readonly answerHeaders: Readonly<Record<string, string>>;
  /** The bucket that it reads from; throws where there is none. */
  readonly table: () => ObjectTable;
  readonly origin: OriginOptions;
}

export interface PointOptions {
  readonly name: string;
  /** Undefined: the host name is nobody's. */
  readonly find: (host: string | undefined) => Served | undefined;
  readonly traits: Traits;
  readonly purgeToken: string;
  /** Absent: it speaks plain HTTP. */
  readonly certificate?: Certificate | undefined;
  readonly log: (line: AccessLine) => void;
  readonly faults: Faults;
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
  readonly agent: string;
}

/** One point of presence: a caching proxy with a port of its own. */
export class PointOfPresence {
  readonly server: Server;
  private readonly caches = new Map<string, EdgeCache>();
  private readonly answered = new WeakMap<object, number>();

  constructor(private readonly options: PointOptions) {
    const answer = forLoopback((request, response) => void this.handle(request, response));
    const { certificate } = options;
    this.server = certificate ? createSecureServer(certificate, answer) : createServer(answer);
    this.server.keepAliveTimeout = 60_000;
  }

  private get traits(): Traits {
    return this.options.traits;
  }

  /** What it holds for one distribution. */
  cacheOf(id: string): EdgeCache {
    const cache = this.caches.get(id) ?? new EdgeCache(this.traits);
    this.caches.set(id, cache);
    return cache;
  }

  /** What answers are told apart by; the address comes first, so that patterns fit. */
  private keyOf(target: string, { headers }: IncomingMessage, { behaviour }: Served): string {
    const address = behaviour.query ? target : target.replace(/\?.*$/s, "");
    const told = [...behaviour.headers, ...(behaviour.cookies ? ["cookie"] : [])];
    const apart = told.map((name) => ` ${name}=${String(headers[name] ?? "")}`).join("");
    const preview = findPreview(headers.host);
    const host = this.traits.copyPerHost ? ` ${headers.host}` : preview === undefined ? "" : ` of ${preview}`;
    const form = `${FORM_MARK}${headers["accept-encoding"] ?? ""}`;
    return `${address}${host}${apart}${this.traits.forms === "one" ? "" : form}`;
  }

  /** Some servers close a connection after so many answers. */
  private closeIfTired({ socket }: IncomingMessage, response: ServerResponse): void {
    const { answersPerConnection } = this.traits;
    const answers = (this.answered.get(socket) ?? 0) + 1;
    this.answered.set(socket, answers);
    if (answersPerConnection === 0 || answers < answersPerConnection) return;
    // Without a word in the answer, as they do: the next request finds the connection closed.
    response.once("finish", () => socket.end());
  }

  private async handle(request: IncomingMessage, response: ServerResponse): Promise<void> {
    const started = performance.now();
    const target = request.url ?? "/";
    let [bytes, cacheStatus] = [0, "none"];
    this.closeIfTired(request, response);
    const fault = this.options.faults.choose({
      part: "edge",
      operation: request.method ?? "",
      key: target.replace(/^\//, ""),
    });
    try {
      if (!(await strike(fault, request, response))) return;
      const served = this.options.find(request.headers.host);
      const refusal = judge(request, served, this.options.certificate !== undefined);
      if (request.method === "PURGE" && served)
        this.purge(request, response, { target, served, isLost: fault?.fault === "lost-invalidation" });
      else if (!served || refusal) response.writeHead(refusal?.status ?? 403, refusal?.headers).end();
      else {
        const turned = turn(request, target, served);
        const answer = "target" in turned ? await this.answer(request, turned.target, served) : turned;
        const compresses = !this.traits.noCompression && served.behaviour.compresses;
        const sent = toSent(answer, this.traits);
        // No search engine is to know of a preview.
        const isPreview = findPreview(request.headers.host) !== undefined;
        const headers = {
          ...sent.headers,
          ...served.answerHeaders,
          ...(isPreview ? { "x-robots-tag": "noindex" } : {}),
        };
        bytes = await sendAnswer(request, response, { ...sent, headers }, { compresses });
        ({ cacheStatus } = answer);
      }
    } catch (error) {
      if (error instanceof ProtocolError && !response.headersSent) response.writeHead(error.status);
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
      agent: request.headers["user-agent"] ?? "",
    });
  }

  private answer(request: IncomingMessage, target: string, served: Served): Promise<CachedAnswer> {
    const { faults } = this.options;
    const { table, origin, behaviour } = served;
    const [path = "/"] = target.split("?");
    // A visitor's reload does not make the edge ask again: what they say of caches is between them and their own.
    const told = Object.entries(request.headers).filter(
      ([name]) => !/^(cache-control|pragma|if-.*|range)$/.test(name),
    );
    const facts = {
      method: "GET",
      // Whether a copy fits is asked by what answers are told apart by.
      url: behaviour.query ? target : path,
      headers: Object.fromEntries(told.map(([name, value]) => [name, String(value)])),
    };
    return this.cacheOf(served.id).answer(this.keyOf(target, request, served), facts, async (ifNoneMatch) => {
      const fault = faults.choose({ part: "origin", operation: "GET", key: path.slice(1) });
      if (fault?.fault === "server-error") throw new Error("it answered 500");
      const named = findPreview(request.headers.host);
      // A function that knows previews has led there already.
      const preview =
        named !== undefined && path.startsWith(`/${toPreviewPrefix(named)}`) ? undefined : named;
      const answer = await askOrigin(table, { path, ifNoneMatch, preview }, origin);
      // A slow answer is of the time when it was asked for, and not of the time when it comes.
      if (fault?.fault === "latency") await new Promise((done) => setTimeout(done, millisecondsOf(fault)));
      return answer;
    });
  }

  /** HTTP PURGE for one address at this point; 404 says that it was not held. */
  private purge(
    request: IncomingMessage,
    response: ServerResponse,
    {
      target,
      served,
      isLost,
    }: { readonly target: string; readonly served: Served; readonly isLost: boolean },
  ): void {
    if (request.headers["x-purge-token"] !== this.options.purgeToken) {
      response.writeHead(403).end("forbidden\n");
      return;
    }
    const held = isLost || this.forget(request, target, served);
    const isDone = held || this.traits.purgeAlwaysOk;
    response
      .writeHead(isDone ? 200 : 404, { "content-type": "text/plain" })
      .end(isDone ? "purged\n" : "not cached\n");
  }

  private forget(request: IncomingMessage, target: string, served: Served): boolean {
    const cache = this.cacheOf(served.id);
    if (!this.traits.purgeWildcards || !target.endsWith("*"))
      return cache.forget(this.keyOf(target, request, served));
    return cache.forgetAll((key) => key.startsWith(target.slice(0, -1))) > 0;
  }
}

/** What the function makes of a request: the address that is looked for, or an answer of its own. */
function turn(
  { method = "", headers }: IncomingMessage,
  target: string,
  { code }: Served,
): { readonly target: string } | CachedAnswer {
  if (code === undefined) return { target };
  const [uri = "/", query = ""] = target.split(/\?(.*)/s);
  try {
    const turned = runFunction(code, { method, uri, query, headers });
    if ("uri" in turned) return { target: query === "" ? turned.uri : `${turned.uri}?${query}` };
    return { ...turned, heldSeconds: 0, body: Buffer.alloc(0), cacheStatus: "none; detail=function" };
  } catch (error) {
    throw new ProtocolError(503, "FunctionExecutionError", String(error));
  }
}

interface Refusal {
  readonly status: number;
  readonly headers: Readonly<Record<string, string>>;
}

/** What is answered without a look at what is held; undefined: nothing stands against the request. */
function judge(
  { method = "", url = "/", headers: { host = "" } }: IncomingMessage,
  served: Served | undefined,
  isSecure: boolean,
): Refusal | undefined {
  if (!served?.behaviour.isOn) return { status: 403, headers: {} };
  const { methods, plainHttp } = served.behaviour;
  if (!methods.includes(method)) return { status: 405, headers: { allow: `${methods.join(", ")}, PURGE` } };
  if (method !== "GET" && method !== "HEAD") return { status: 403, headers: {} };
  if (isSecure || plainHttp === "allow-all") return undefined;
  if (plainHttp === "https-only") return { status: 403, headers: {} };
  return { status: 301, headers: { location: `https://${host}${url}` } };
}

/** What is sent of an answer, whatever the visitor's conditions: some servers add headers, others say less. */
function toSent({ status, headers, body, cacheStatus }: CachedAnswer, traits: Traits): Answer {
  const { age, ...own } = headers;
  return {
    status,
    headers: {
      ...own,
      ...(age === undefined || traits.silent ? {} : { age }),
      ...traits.headers,
      ...(traits.silent ? {} : { "cache-status": `courier-sandbox; ${cacheStatus}` }),
    },
    body,
  };
}

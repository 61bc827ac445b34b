import type { Agent as HttpsAgent } from "node:https";
import { Readable } from "node:stream";
import { NodeHttpHandler, type NodeHttpHandlerOptions } from "@smithy/node-http-handler";
import { createAgent, findProxy } from "./network/agents.ts";
import { boundBody, EndlessAnswer, PACE, type StopSignal } from "./bounds.ts";

/** A connection that nobody answers is given up after this long. */
const CONNECT_MS = 5_000;
/** A connection on which nothing moves is given up after this long. */
const IDLE_MS = 30_000;
const SOCKETS = 64;

/** Lists, settings and errors of the protocols: a page of a thousand names of a thousand bytes is far below. */
const MOST_ANSWER = 32_000_000;
/** An object tells its length, and that is at most what the protocol allows (5 TB). */
const MOST_OBJECT = 5_000_000_000_000;
/** Until an answer begins, besides the time that the request takes to send: a store may copy gigabytes first. */
const MOST_WAIT_MS = { read: 90_000, write: 900_000 } as const;
/** Until an answer ends that is no object. */
const MOST_READING_MS = 120_000;

type Request = Parameters<NodeHttpHandler["handle"]>[0];
type Options = NonNullable<Parameters<NodeHttpHandler["handle"]>[1]>;

export interface HandlerOptions {
  /** A connection on which nothing moves is given up after this long; absent: half a minute. */
  readonly idleMs?: number | undefined;
  readonly stop?: StopSignal | undefined;
}

/** The protocol's HTTP, with bounds: no answer is endless, and reads end when somebody stops the run. */
export class BoundedHandler extends NodeHttpHandler {
  private readonly stop: StopSignal;
  private readonly bounds: NodeHttpHandlerOptions;
  /** By the address that is asked; undefined: no proxy leads there. */
  private readonly proxied = new Map<string, NodeHttpHandler | undefined>();

  constructor({ idleMs = IDLE_MS, stop = () => undefined }: HandlerOptions = {}) {
    const bounds = { connectionTimeout: CONNECT_MS, socketTimeout: idleMs };
    const agent = { maxSockets: SOCKETS, keepAlive: true };
    super({ ...bounds, httpAgent: agent, httpsAgent: agent });
    this.bounds = bounds;
    this.stop = stop;
  }

  override destroy(): void {
    super.destroy();
    for (const handler of this.proxied.values()) handler?.destroy();
  }

  /** The same bounds, over a proxy where the environment names one. */
  private findHandler({ protocol, hostname, port }: Request): NodeHttpHandler | undefined {
    const url = `${protocol}//${hostname}${port === undefined ? "" : `:${port}`}`;
    if (this.proxied.has(url)) return this.proxied.get(url);
    const agent = findProxy(url) === undefined ? undefined : createAgent(url, { sockets: SOCKETS });
    const handler =
      agent &&
      new NodeHttpHandler({
        ...this.bounds,
        httpAgent: agent,
        // eslint-disable-next-line @typescript-eslint/no-unsafe-class-instance-assignment -- no more is asked of it than any agent can
        httpsAgent: agent as HttpsAgent,
      });
    this.proxied.set(url, handler);
    return handler;
  }

  override async handle(request: Request, options: Options = {}): ReturnType<NodeHttpHandler["handle"]> {
    const isRead = request.method === "GET" || request.method === "HEAD";
    // What is written ends: half a write is the worst that could be left.
    const stop = isRead ? this.stop() : undefined;
    const late = new AbortController();
    const sending = Number(request.headers["content-length"] ?? 0) * PACE;
    const clock = setTimeout(
      () => {
        late.abort();
      },
      (isRead ? MOST_WAIT_MS.read : MOST_WAIT_MS.write) + sending,
    );
    const own = [late.signal, ...(stop ? [stop] : []), ...(options.abortSignal ? [options.abortSignal] : [])];
    try {
      const abortSignal = AbortSignal.any(own as AbortSignal[]);
      const handler = this.findHandler(request);
      const { response } = await (handler
        ? handler.handle(request, { ...options, abortSignal })
        : super.handle(request, { ...options, abortSignal }));
      if (response.body instanceof Readable && response.headers["content-length"] !== "0")
        response.body = toBounded(response.body, isObject(request, response.headers), stop);
      return { response };
    } catch (error) {
      throw late.signal.aborted ? new EndlessAnswer("slow") : error;
    } finally {
      clearTimeout(clock);
    }
  }
}

/** Whether an answer is an object that says how long it is; all else is short. */
const isObject = ({ query }: Request, headers: Readonly<Record<string, string>>): boolean =>
  query["x-id"] === "GetObject" && /^\d+$/.test(headers["content-length"] ?? "");

function toBounded(body: Readable, isObject: boolean, stop: AbortSignal | undefined): Readable {
  const mostBytes = isObject ? MOST_OBJECT : MOST_ANSWER;
  return Readable.from(boundBody(body, { mostBytes, mostMs: MOST_READING_MS, stop }));
}

import { Agent as HttpAgent, request as httpRequest, type IncomingMessage } from "node:http";
import { Agent as HttpsAgent, request as httpsRequest } from "node:https";
import type { VisitorAnswer } from "../../../core/model/visitor-answer.ts";
import { mostOf, NO_BOUNDS, type AskingBounds } from "../../bounds.ts";
import { giveUpAfter, readAnswer } from "../../read-answer.ts";

/** One request to a node of a cache. */
export interface NodeRequest {
  readonly method: "PURGE" | "BAN" | "GET";
  readonly node: string;
  /** Sent as it is: caches tell spellings apart. */
  readonly path: string;
  readonly headers: Readonly<Record<string, string>>;
}

export interface NodeClient {
  /** Throws when nobody answers. */
  ask(request: NodeRequest): Promise<VisitorAnswer>;
  close(): void;
}

const SOCKETS = 32;
const TRIES = 4;
/** Bytes of what a cache says to a purge. */
const MOST_ANSWER = 1_000_000;
const CLOSED = new Set(["ECONNRESET", "EPIPE"]);

/**
 * Asks nodes over kept-alive connections. A node that closed one, as some do after a thousand answers, is asked over a new one.
 * @param patienceSeconds how long an answer may take to begin
 */
export function createNodeClient(
  patienceSeconds: number,
  { stop, largest }: AskingBounds = NO_BOUNDS,
): NodeClient {
  const [http, https] = [
    new HttpAgent({ keepAlive: true, maxSockets: SOCKETS }),
    new HttpsAgent({ keepAlive: true, maxSockets: SOCKETS }),
  ];
  return {
    ask: async (request) => {
      for (let tried = 1; ; tried++) {
        try {
          const signal = stop();
          const agents = tried === 1 ? ([http, https] as const) : undefined;
          // Of a purge's answer only the status counts.
          const mostBytes = request.method === "GET" ? mostOf(largest()) : MOST_ANSWER;
          const response = await send(request, { patienceSeconds, signal, agents });
          return await readAnswer(response, { mostBytes, stop: signal });
        } catch (error) {
          // Only what a closed connection explains is worth another try.
          if (tried >= TRIES || !CLOSED.has((error as { code?: string }).code ?? "")) throw error;
        }
      }
    },
    close: () => {
      http.destroy();
      https.destroy();
    },
  };
}

interface SendOptions {
  readonly patienceSeconds: number;
  readonly signal: AbortSignal | undefined;
  /** Absent: a connection of its own. */
  readonly agents: readonly [HttpAgent, HttpsAgent] | undefined;
}

function send(
  { method, node, path, headers }: NodeRequest,
  { patienceSeconds, signal, agents }: SendOptions,
): Promise<IncomingMessage> {
  const { protocol, hostname, port } = new URL(node);
  const isSecure = protocol === "https:";
  const agent = agents === undefined ? (false as const) : isSecure ? agents[1] : agents[0];
  const host = headers.host ?? hostname;
  return new Promise((resolve, reject) => {
    const options = {
      ...{ method, hostname, port, path, headers, agent, timeout: patienceSeconds * 1000 },
      ...(signal && { signal }),
      // The certificate is that of the public name, whichever node is asked.
      ...(isSecure ? { servername: host.replace(/:\d+$/, "") } : {}),
    };
    const request = (isSecure ? httpsRequest : httpRequest)(options, resolve);
    request.once("timeout", () => request.destroy(new Error(`no answer within ${patienceSeconds} s`)));
    request.once("error", reject);
    giveUpAfter(request, patienceSeconds * 2000);
    request.end();
  });
}

import { OWN_NAME } from "../../network/own-name.ts";
import { isIP } from "node:net";
import { request as httpRequest, type Agent, type IncomingMessage } from "node:http";
import { request as httpsRequest } from "node:https";
import type { VisitorAnswer } from "../../../core/model/visitor-answer.ts";
import { createAgent } from "../../network/agents.ts";
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
  const agents = new Map<string, Agent>();
  const agentOf = (node: string): Agent => {
    const agent = agents.get(node) ?? createAgent(node, { sockets: SOCKETS, isTunnel: true });
    agents.set(node, agent);
    return agent;
  };
  return {
    ask: async (request) => {
      for (let tried = 1; ; tried++) {
        try {
          const signal = stop();
          // The second time over a connection of its own.
          const agent =
            tried === 1
              ? agentOf(request.node)
              : createAgent(request.node, { sockets: 1, isTunnel: true, keepAlive: false });
          // Of a purge's answer only the status counts.
          const mostBytes = request.method === "GET" ? mostOf(largest()) : MOST_ANSWER;
          const response = await send(request, { patienceSeconds, signal, agent });
          return await readAnswer(response, { mostBytes, stop: signal });
        } catch (error) {
          // Only what a closed connection explains is worth another try.
          if (tried >= TRIES || !CLOSED.has((error as { code?: string }).code ?? "")) throw error;
        }
      }
    },
    close: () => {
      for (const agent of agents.values()) agent.destroy();
    },
  };
}

/** Without a port, and without the brackets of an IPv6 address in a URL (RFC 3986 §3.2.2). */
const toBareHost = (host: string): string => host.replace(/:\d+$/, "").replace(/^\[(.*)\]$/, "$1");

interface SendOptions {
  readonly patienceSeconds: number;
  readonly signal: AbortSignal | undefined;
  readonly agent: Agent;
}

function send(
  { method, node, path, headers }: NodeRequest,
  { patienceSeconds, signal, agent }: SendOptions,
): Promise<IncomingMessage> {
  const { protocol, hostname, port } = new URL(node);
  const isSecure = protocol === "https:";
  const name = toBareHost(headers.host ?? hostname);
  return new Promise((resolve, reject) => {
    const options = {
      ...{
        method,
        hostname: toBareHost(hostname),
        port,
        path,
        headers: { "user-agent": OWN_NAME, ...headers },
        agent,
        timeout: patienceSeconds * 1000,
      },
      ...(signal && { signal }),
      // The certificate is that of the public name, whichever node is asked. Addresses are never sent (RFC 6066 §3).
      ...(isSecure && isIP(name) === 0 ? { servername: name } : {}),
    };
    const request = (isSecure ? httpsRequest : httpRequest)(options, resolve);
    request.once("timeout", () => request.destroy(new Error(`no answer within ${patienceSeconds} s`)));
    request.once("error", reject);
    giveUpAfter(request, patienceSeconds * 2000);
    request.end();
  });
}

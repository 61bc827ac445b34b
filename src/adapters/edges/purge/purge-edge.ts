import { Agent as HttpAgent, request as httpRequest } from "node:http";
import { Agent as HttpsAgent, request as httpsRequest } from "node:https";
import type { Clock } from "../../../ports/clock.ts";
import { EdgeError, type Edge } from "../../../ports/edge.ts";

export interface PurgeSettings {
  readonly name: string;
  /** Addresses of the cache itself; each is asked for every address. */
  readonly nodes: readonly string[];
  /** The public name under which visitors ask. */
  readonly host: string;
  readonly token?: string | undefined;
  /** The header that carries the token. */
  readonly header: string;
  /** Seconds between the first and the second round. */
  readonly settle: number;
}

const SOCKETS = 16;
const TIMEOUT_MS = 10_000;
/** A node that closed its connection is asked anew this often. */
const TRIES = 3;

/**
 * A cache that takes HTTP PURGE, one request for each address and node. Everything is purged twice with a pause between:
 * a fetch that was under way during the first round can store the old bytes after it.
 */
export function createPurgeEdge(settings: PurgeSettings, clock: Clock): Edge {
  const agents = [
    new HttpAgent({ keepAlive: true, maxSockets: SOCKETS }),
    new HttpsAgent({ keepAlive: true, maxSockets: SOCKETS }),
  ] as const;
  const purgeAll = async (addresses: readonly string[]): Promise<void> => {
    await Promise.all(
      settings.nodes.flatMap((node) => addresses.map((address) => purge(node, address, settings, agents))),
    );
  };
  return {
    name: settings.name,
    abilities: { mostPatterns: Infinity, takesEverything: false },
    invalidate: async ({ patterns }) => {
      await purgeAll(patterns);
      await clock.sleep(settings.settle * 1000);
      await purgeAll(patterns);
    },
    close: () => {
      for (const agent of agents) agent.destroy();
    },
  };
}

type Agents = readonly [HttpAgent, HttpsAgent];

async function purge(node: string, address: string, settings: PurgeSettings, agents: Agents): Promise<void> {
  const status = await askWithTries(node, address, settings, agents);
  // 404 (and 412 on some) says that it was not held: as good as gone.
  if ((status >= 200 && status < 300) || status === 404 || status === 412) return;
  const meaning =
    status === 401 || status === 403
      ? "it refused the purge: check token and header"
      : `it answered ${status} to a purge`;
  throw new EdgeError(settings.name, `${meaning} (${node})`, { status });
}

async function askWithTries(
  node: string,
  address: string,
  settings: PurgeSettings,
  agents: Agents,
): Promise<number> {
  for (let tried = 1; ; tried++) {
    try {
      return await ask(node, address, settings, agents);
    } catch (error) {
      const { code = "", message } = error as { code?: string; message: string };
      if (tried >= TRIES || code === "ECONNREFUSED")
        throw new EdgeError(
          settings.name,
          `${node} could not be asked: ${code === "" ? message : code}`,
          { code },
          error,
        );
    }
  }
}

function ask(
  node: string,
  address: string,
  { host, token, header }: PurgeSettings,
  [http, https]: Agents,
): Promise<number> {
  const { protocol, hostname, port } = new URL(node);
  const secure = protocol === "https:";
  const headers = { host, ...(token === undefined ? {} : { [header]: token }) };
  return new Promise((resolve, reject) => {
    const options = {
      method: "PURGE",
      hostname,
      port,
      path: address,
      headers,
      agent: secure ? https : http,
      timeout: TIMEOUT_MS,
    };
    const request = (secure ? httpsRequest : httpRequest)(options, (response) => {
      response.resume();
      response.once("end", () => {
        resolve(response.statusCode ?? 0);
      });
      response.once("error", reject);
    });
    request.once("timeout", () => request.destroy(new Error("no answer")));
    request.once("error", reject);
    request.end();
  });
}

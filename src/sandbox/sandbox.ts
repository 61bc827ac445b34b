import { mkdirSync } from "node:fs";
import type { Server } from "node:http";
import type { AddressInfo } from "node:net";
import { join } from "node:path";
import { openAccessLog } from "./edge/access-log.ts";
import { InvalidationApi } from "./edge/invalidations.ts";
import type { OriginKind } from "./edge/origin.ts";
import { PointOfPresence } from "./edge/point-of-presence.ts";
import { openLedger } from "./ledger.ts";
import { SandboxStore } from "./store/server.ts";

export interface SandboxOptions {
  readonly data: string;
  /** 0: any free one. The invalidation API takes any free one as well. */
  readonly storePort: number;
  /** Of the first point of presence; 0, and for the others: any free one. */
  readonly edgePort: number;
  readonly bucket: string;
  /** How many points of presence. */
  readonly points: number;
  readonly propagationMs: number;
  readonly origin: OriginKind;
  readonly clientRoutes: boolean;
  readonly query: "ignored" | "keyed";
}

/** What a client needs to know; printed as the ready line. */
export interface SandboxFacts {
  readonly endpoint: string;
  /** The first of `pops`. */
  readonly edge: string;
  readonly accessKeyId: string;
  readonly secretAccessKey: string;
  readonly bucket: string;
  readonly region: string;
  readonly distribution: string;
  readonly edgeApi: string;
  readonly pops: readonly string[];
  readonly purgeToken: string;
}

export interface Sandbox {
  readonly facts: SandboxFacts;
  close(): Promise<void>;
}

/** Fixed and made up: they guard nothing. */
const IDENTITY = {
  accessKeyId: "SANDBOXPRACTICEKEY",
  secretAccessKey: "sandbox-practice-secret-guards-nothing",
};
const REGION = "eu-sandbox-1";
const DISTRIBUTION = "SANDBOX0000001";
const PURGE_TOKEN = "sandbox-purge-token";

/** Starts the simulated store and, before it, the simulated edge, on loopback. */
export async function startSandbox(options: SandboxOptions): Promise<Sandbox> {
  const { data, bucket } = options;
  mkdirSync(data, { recursive: true });
  const ledger = openLedger(join(data, "ledger.ndjson"));
  const identities = [IDENTITY];
  const store = new SandboxStore({ folder: join(data, "store"), region: REGION, identities, ledger });
  store.createBucket(bucket);
  const points = createPoints(options, store);
  const api = new InvalidationApi({
    distribution: DISTRIBUTION,
    points,
    propagationMs: options.propagationMs,
    identities,
    ledger,
  });

  const servers = [store.server, api.server, ...points.map(({ server }) => server)];
  try {
    const endpoint = await listen(store.server, options.storePort);
    const edgeApi = await listen(api.server, 0);
    const pops: string[] = [];
    for (const [index, { server }] of points.entries())
      pops.push(await listen(server, index === 0 ? options.edgePort : 0));
    const facts = {
      endpoint,
      edge: pops[0] ?? "",
      ...IDENTITY,
      bucket,
      region: REGION,
      distribution: DISTRIBUTION,
      edgeApi,
      pops,
      purgeToken: PURGE_TOKEN,
    };
    return { facts, close: () => shutAll(servers) };
  } catch (error) {
    await shutAll(servers);
    throw error;
  }
}

function createPoints(
  { data, bucket, points, query, origin, clientRoutes }: SandboxOptions,
  store: SandboxStore,
): PointOfPresence[] {
  const log = openAccessLog(join(data, "edge-access.log"));
  const originOptions = { kind: origin, index: "index.html", notFound: "404.html", clientRoutes };
  return Array.from({ length: points }, (_, index) => {
    const table = () => store.findTable(bucket);
    return new PointOfPresence({
      name: `point-${index + 1}`,
      table,
      origin: originOptions,
      query,
      purgeToken: PURGE_TOKEN,
      log,
    });
  });
}

/** @returns its address */
function listen(server: Server, port: number): Promise<string> {
  return new Promise((resolve, reject) => {
    server.once("error", reject);
    server.listen(port, "127.0.0.1", () => {
      resolve(`http://127.0.0.1:${(server.address() as AddressInfo).port}`);
    });
  });
}

async function shutAll(servers: readonly Server[]): Promise<void> {
  await Promise.all(
    servers.map((server) => {
      const closed = new Promise<void>((resolve) => {
        server.close(() => {
          resolve();
        });
      });
      server.closeAllConnections();
      return closed;
    }),
  );
}

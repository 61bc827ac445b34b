import { mkdirSync } from "node:fs";
import type { Server } from "node:http";
import type { AddressInfo } from "node:net";
import { join } from "node:path";
import { openLedger } from "./ledger.ts";
import { SandboxStore } from "./store/server.ts";

export interface SandboxOptions {
  readonly data: string;
  /** 0: any free one. */
  readonly storePort: number;
  readonly bucket: string;
}

/** What a client needs to know; printed as the ready line. */
export interface SandboxFacts {
  readonly endpoint: string;
  readonly accessKeyId: string;
  readonly secretAccessKey: string;
  readonly bucket: string;
  readonly region: string;
}

export interface Sandbox {
  readonly facts: SandboxFacts;
  close(): Promise<void>;
}

/** Fixed and made up: they guard nothing. */
export const SANDBOX_IDENTITY = {
  accessKeyId: "SANDBOXPRACTICEKEY",
  secretAccessKey: "sandbox-practice-secret-guards-nothing",
};
export const SANDBOX_REGION = "eu-sandbox-1";

/** Starts the simulated store on loopback. */
export async function startSandbox({ data, storePort, bucket }: SandboxOptions): Promise<Sandbox> {
  mkdirSync(data, { recursive: true });
  const ledger = openLedger(join(data, "ledger.ndjson"));
  const store = new SandboxStore({
    folder: join(data, "store"),
    region: SANDBOX_REGION,
    identities: [SANDBOX_IDENTITY],
    ledger,
  });
  store.createBucket(bucket);
  const port = await listen(store.server, storePort);
  return {
    facts: { endpoint: `http://127.0.0.1:${port}`, ...SANDBOX_IDENTITY, bucket, region: SANDBOX_REGION },
    close: () => shut(store.server),
  };
}

/** @returns the port */
export function listen(server: Server, port: number): Promise<number> {
  return new Promise((resolve, reject) => {
    server.once("error", reject);
    server.listen(port, "127.0.0.1", () => {
      resolve((server.address() as AddressInfo).port);
    });
  });
}

export function shut(server: Server): Promise<void> {
  return new Promise((resolve) => {
    server.close(() => {
      resolve();
    });
    server.closeAllConnections();
  });
}

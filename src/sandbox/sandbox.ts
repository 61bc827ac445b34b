import { mkdirSync, writeFileSync } from "node:fs";
import type { Server } from "node:http";
import type { AddressInfo } from "node:net";
import { join } from "node:path";
import { openAccessLog } from "./edge/access-log.ts";
import type { CertificateKind } from "./edge/certificate-kinds.ts";
import type { Certificate } from "../serving/certificate.ts";
import { createEdgeCertificate } from "./edge/certificate.ts";
import { EdgeApi } from "./edge/api.ts";
import { Distributions, type ShelvedCertificate } from "./edge/distributions.ts";
import { toFirstConfig } from "./edge/first-config.ts";
import { Invalidations } from "./edge/invalidations.ts";
import type { OriginKind } from "./edge/origin.ts";
import { PointOfPresence, type Served } from "./edge/point-of-presence.ts";
import { PLAIN, type Traits } from "./edge/traits.ts";
import { Faults, type FaultSettings } from "./faults.ts";
import { openLedger } from "./ledger.ts";
import type { AccessPolicy, Asker } from "./store/permissions.ts";
import { SandboxStore } from "./store/server.ts";
import type { Identity } from "./store/signature.ts";
import { PLAIN_STORE, type StoreTraits } from "./store/traits.ts";

export interface SandboxOptions {
  readonly data: string;
  /** 0: any free one. The invalidation API takes the next one, or any free one. */
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
  /** Without a bucket, and with an edge that reads only what the bucket's own settings let it: as a new account is. */
  readonly bare?: boolean | undefined;
  /** Bare, and without a distribution: an edge answers nobody until one is made. */
  readonly empty?: boolean | undefined;
  /** Certificates that distributions can be given; absent: none. */
  readonly certificates?: readonly ShelvedCertificate[] | undefined;
  /** The edge speaks TLS, with such a certificate; absent: plain HTTP. */
  readonly tls?: CertificateKind | undefined;
  /** What a second identity may do; absent: there is none. */
  readonly policy?: AccessPolicy | undefined;
  /** How the edge behaves where real ones differ; absent: plainly. */
  readonly traits?: Traits | undefined;
  /** How the store behaves where real ones differ; absent: plainly. */
  readonly storeTraits?: StoreTraits | undefined;
  /** What goes wrong; absent: nothing. */
  readonly faults?: FaultSettings | undefined;
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
  /** Empty: there is none yet. */
  readonly distribution: string;
  readonly edgeApi: string;
  readonly pops: readonly string[];
  readonly purgeToken: string;
  /** The identity that the policy binds, where there is one. */
  readonly limited?: Pick<Identity, "accessKeyId" | "secretAccessKey">;
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
/** The one that a policy binds. */
const LIMITED = {
  accessKeyId: "SANDBOXLIMITEDKEY",
  secretAccessKey: "sandbox-limited-secret-guards-nothing",
};
/** What a web identity is given for a while. */
const LENT = {
  accessKeyId: "SANDBOXLENTKEY",
  secretAccessKey: "sandbox-lent-secret-guards-nothing",
  sessionToken: "sandbox-session-token-guards-nothing",
};
const ACCOUNT = "000000000000";
const toArn = (name: string): string => `arn:aws:iam::${ACCOUNT}:user/${name}`;
const REGION = "eu-sandbox-1";
const DISTRIBUTION = "SANDBOX0000001";
const PURGE_TOKEN = "sandbox-purge-token";

/** What the sandbox has when it is started without any option. */
export const SANDBOX_DEFAULTS = {
  ...IDENTITY,
  bucket: "practice",
  region: REGION,
  distribution: DISTRIBUTION,
  endpoint: "http://127.0.0.1:8450",
  edgeApi: "http://127.0.0.1:8451",
  edge: "http://127.0.0.1:8460",
} as const;

/** Starts the simulated store and, before it, the simulated edge, on loopback. */
export async function startSandbox(options: SandboxOptions): Promise<Sandbox> {
  const { data, bucket } = options;
  mkdirSync(data, { recursive: true });
  const ledger = openLedger(join(data, "ledger.ndjson"));
  const { policy } = options;
  const identities = [
    { ...IDENTITY, arn: toArn("practice") },
    { ...LENT, arn: toArn("lent"), ...(policy ? { policy } : {}) },
    ...(policy ? [{ ...LIMITED, arn: toArn("limited"), policy }] : []),
  ];
  const faults = new Faults(options.faults);
  const store = new SandboxStore({
    folder: join(data, "store"),
    region: REGION,
    identities,
    ledger,
    faults,
    lent: LENT,
    traits: options.storeTraits ?? PLAIN_STORE,
  });
  if (options.bare !== true && options.empty !== true) store.createBucket(bucket);
  const certificate = options.tls && (await createEdgeCertificate(options.tls, Date.now()));
  if (certificate) writeFileSync(join(data, "edge-certificate.pem"), certificate.cert);
  const { propagationMs, certificates = [] } = options;
  const distributions = new Distributions({
    ...{ points: options.points, propagationMs, region: REGION, certificates },
    file: join(data, "distributions.json"),
  });
  if (options.empty !== true) distributions.make(toFirstConfig(options, distributions, REGION), DISTRIBUTION);
  const points = createPoints(options, store, { faults, certificate, distributions });
  const invalidations = new Invalidations({ points, propagationMs });
  const api = new EdgeApi({ distributions, invalidations, identities, ledger, faults });

  const servers = [store.server, api.server, ...points.map(({ server }) => server)];
  try {
    const endpoint = await listen(store.server, options.storePort);
    const edgeApi = await listenBeside(api.server, options);
    const pops: string[] = [];
    for (const [index, { server }] of points.entries()) {
      const address = await listen(server, index === 0 ? options.edgePort : 0);
      pops.push(certificate ? address.replace("http:", "https:") : address);
    }
    distributions.home = new URL(pops[0] ?? "").host;
    const facts = {
      endpoint,
      edge: pops[0] ?? "",
      ...IDENTITY,
      bucket,
      region: REGION,
      distribution: options.empty === true ? "" : DISTRIBUTION,
      edgeApi,
      pops,
      purgeToken: PURGE_TOKEN,
      ...(options.policy ? { limited: LIMITED } : {}),
    };
    return { facts, close: () => shutAll(servers) };
  } catch (error) {
    await shutAll(servers);
    throw error;
  }
}

interface PointParts {
  readonly faults: Faults;
  readonly certificate: Certificate | undefined;
  readonly distributions: Distributions;
}

function createPoints(
  options: SandboxOptions,
  store: SandboxStore,
  { faults, certificate, distributions }: PointParts,
): PointOfPresence[] {
  const { data, points, traits = PLAIN } = options;
  const log = openAccessLog(join(data, "edge-access.log"));
  return Array.from(
    { length: points },
    (_, index) =>
      new PointOfPresence({
        name: `point-${index + 1}`,
        find: (host) => {
          const found = distributions.at(index, host);
          return found && { ...found, ...toServed(found, options, store) };
        },
        ...{ traits, purgeToken: PURGE_TOKEN, certificate, log, faults },
      }),
  );
}

/** What a distribution reads from, and how. */
function toServed(
  { id, behaviour }: Pick<Served, "id" | "behaviour">,
  { bare, empty, traits = PLAIN }: SandboxOptions,
  store: SandboxStore,
): Pick<Served, "table" | "origin"> {
  const { bucket = "", kind, prefix, isSigned } = behaviour.origin;
  const source = `arn:aws:cloudfront::${ACCOUNT}:distribution/${id}`;
  const asker: Asker = isSigned
    ? { kind: "service", service: "cloudfront.amazonaws.com", source }
    : { kind: "anybody" };
  const isStrict = bare === true || empty === true;
  return {
    table: () => {
      if (bucket === "") throw new Error("nobody answers there as the edge asks");
      return store.findTable(bucket);
    },
    origin: {
      ...{ kind, traits, prefix: traits.originPrefix + prefix },
      rootDocument: behaviour.rootDocument,
      errors: behaviour.errors,
      minimumSeconds: behaviour.minimumSeconds,
      ...(isStrict ? { mayRead: (key: string) => store.mayRead(bucket, key, asker) } : {}),
    },
  };
}

/** The invalidation API stands beside the store, so that settings can name it; where that port is taken, at any free one. */
function listenBeside(server: Server, { storePort, edgePort }: SandboxOptions): Promise<string> {
  const port = storePort + 1;
  if (storePort === 0 || port === edgePort) return listen(server, 0);
  return listen(server, port).catch(() => listen(server, 0));
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

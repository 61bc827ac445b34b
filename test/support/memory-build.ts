import { hash } from "node:crypto";
import { findReferences } from "../../src/core/build/references/find.ts";
import { findFingerprintNames } from "../../src/core/build/fingerprint.ts";
import type { BuildSource } from "../../src/ports/build-source.ts";
import { Pace } from "../../src/core/delivery/pace.ts";
import { gateWrites } from "../../src/perform/gate.ts";
import { withRetries } from "../../src/perform/retry.ts";
import type { Clock } from "../../src/ports/clock.ts";
import type { Delivery } from "../../src/workflows/delivery.ts";
import type { Edge } from "../../src/ports/edge.ts";
import type { ObjectStore } from "../../src/ports/object-store.ts";
import { REQUEST_KINDS } from "../../src/ports/object-store.ts";
import type { DeliveryEvent } from "../../src/ports/reporter.ts";

/** A build that is nothing but names and texts. Every hashed name counts as named by some other file. */
export const memoryBuild = (files: Readonly<Record<string, string>>): BuildSource => ({
  read: () => {
    const read = READ.get(files) ?? readFiles(files);
    READ.set(files, read);
    return read;
  },
  close: () => undefined,
  findChanged: () => undefined,
  open: ({ key, aliasOf, size, storedHash }) => ({
    size,
    hash: storedHash,
    open: () => Buffer.from(files[aliasOf ?? key] ?? ""),
  }),
});

/** What was read once: the same files are delivered thousands of times. */
const READ = new WeakMap<Readonly<Record<string, string>>, ReturnType<BuildSource["read"]>>();

const readFiles = (files: Readonly<Record<string, string>>): ReturnType<BuildSource["read"]> => ({
  folder: "memory",
  files: Object.entries(files).map(([path, text]) => ({
    path,
    size: Buffer.byteLength(text),
    hash: hash("sha256", text),
    head: Buffer.from(text),
    references: findReferences(path, text),
    secrets: [],
  })),
  namedTokens: new Set([...findFingerprintNames(Object.keys(files)).values()].map(({ token }) => token)),
  withheld: [],
});

/** A clock that stands still. */
export const STILL: Clock = {
  now: () => new Date(0),
  monotonicMs: () => 0,
  sleep: () => Promise.resolve(),
  every: () => () => undefined,
  random: () => 0,
};

export interface MemoryDeliveryOptions extends Partial<
  Pick<Delivery, "clock" | "machine" | "site" | "interruption" | "run">
> {
  readonly files: Readonly<Record<string, string>>;
  readonly store: ObjectStore;
  readonly edges?: readonly Edge[];
  readonly events?: DeliveryEvent[];
  readonly target?: Partial<Delivery["target"]>;
  /** Whether calls that failed are tried again, as the wiring does it. */
  readonly retries?: boolean;
}

let runs = 0;

/** A run on memory: no file, no clock, every guard lifted. */
export function memoryDelivery({
  files,
  store,
  edges = [],
  events = [],
  target,
  retries = false,
  ...others
}: MemoryDeliveryOptions): Delivery {
  runs += 1;
  const gate: Delivery["gate"] = { assertOurs: undefined };
  const report = (event: DeliveryEvent): number => events.push(event);
  const gated = gateWrites(store, gate);
  const tools = { clock: others.clock ?? STILL, report, countRetry: () => undefined };
  return {
    target: {
      site: "Pelican Sound Ferries",
      destination: "memory",
      buildFolder: "memory",
      projectFolder: "memory",
      entry: "index.html",
      clientRoutes: false,
      redirects: [],
      carriesRedirects: true,
      plainNames: false,
      ownsWebsite: false,
      bucketPrefix: "",
      compression: "off",
      serves: "website",
      exclude: [],
      rules: { freshness: [], types: [], headers: [], edgeCanForget: edges.length > 0 },
      addresses: { forms: ["file", "folder"], basePath: "/", indexName: "index.html" },
      store: { kind: "folder", folder: "memory" },
      distributions: [],
      readers: "public",
      edges: edges.map(({ name }) => ({ kind: "purge", name }) as never),
      expectedHeaders: {},
      ask: false,
      retention: { releases: 2, forSeconds: 0 },
      vanishShare: 1,
      leaseSeconds: 30,
      ...target,
    },
    source: memoryBuild(files),
    store: retries ? withRetries(gated, tools) : gated,
    gate,
    edges,
    clock: STILL,
    site: undefined,
    machine: {
      describe: () => ({ host: "test", process: runs, processStart: "" }),
      isAlive: () => undefined,
      spareMemory: () => undefined,
    },
    pace: new Pace(),
    interruption: { assertGoesOn: () => undefined, orStop: (work) => work },
    report,
    requests: Object.fromEntries(REQUEST_KINDS.map((kind) => [kind, 0])) as Delivery["requests"],
    allowed: new Set(["no-entry", "vanish", "wrong-folder"]),
    run: `run-${runs}`,
    author: { by: "test" },
    ...others,
  };
}

import { hash } from "node:crypto";
import { Readable } from "node:stream";
import { findReferences } from "../../src/core/build/references/find.ts";
import { OWN_TEXTS } from "../../src/gather/own-texts.ts";
import { findFingerprintNames } from "../../src/core/build/fingerprints/find.ts";
import type { Reporter } from "../../src/ports/reporter.ts";
import type { SiteRules } from "../../src/core/build/site-rules.ts";
import { Pace } from "../../src/core/delivery/pace.ts";
import type { RetentionRule } from "../../src/core/history/retention.ts";
import { countWrites, gateWrites, type WriteGate } from "../../src/perform/gate.ts";
import { withRetries } from "../../src/perform/retry.ts";
import type { Build } from "../../src/core/model/build.ts";
import type { BuildSource } from "../../src/ports/build-source.ts";
import type { Clock } from "../../src/ports/clock.ts";
import type { Edge } from "../../src/ports/edge.ts";
import type { Machine } from "../../src/ports/machine.ts";
import { createTally, type ObjectStore, type RequestTally } from "../../src/ports/object-store.ts";
import type { Delivery } from "../../src/workflows/run.ts";

/** One that is read at once. */
interface MemoryBuild extends BuildSource {
  read(exclude: readonly string[]): Build;
}

/** A build that is nothing but names and texts. Every hashed name counts as named by some other file. */
export const memoryBuild = (files: Readonly<Record<string, string>>): MemoryBuild => ({
  read: () => {
    const read = READ.get(files) ?? readFiles(files);
    READ.set(files, read);
    return read;
  },
  close: () => undefined,
  findChanged: () => undefined,
  look: () => JSON.stringify(files),
  openPart: ({ key, aliasOf }, start, end) =>
    Readable.from([Buffer.from(files[aliasOf ?? key] ?? "").subarray(start, end + 1)]),
  open: ({ key, aliasOf, size, storedHash }) => ({
    size,
    hash: storedHash,
    open: () => Buffer.from(OWN_TEXTS.get(storedHash) ?? files[aliasOf ?? key] ?? ""),
  }),
});

/** What was read once: the same files are delivered thousands of times. */
const READ = new WeakMap<Readonly<Record<string, string>>, Build>();

const readFiles = (files: Readonly<Record<string, string>>): Build => ({
  names: findFingerprintNames(Object.keys(files)),
  folder: "memory",
  files: Object.entries(files).map(([path, text]) => ({
    path,
    size: Buffer.byteLength(text),
    hash: hash("sha256", text),
    head: Buffer.from(text),
    references: findReferences(path, text),
    secrets: [],
  })),
  namedTokens: new Map(
    [...findFingerprintNames(Object.keys(files)).values()].map(({ token }) => [token, "index.html"]),
  ),
  withheld: [],
  special: [],
});

/** A clock that stands still. */
export const STILL: Clock = {
  now: () => new Date(0),
  monotonicMs: () => 0,
  sleep: () => Promise.resolve(),
  every: () => () => undefined,
  random: () => 0,
};

/** What differs from the rules of a plain site. */
export type RuleChanges = Partial<Omit<SiteRules, "endpoint" | "headers">> & {
  readonly endpoint?: Partial<SiteRules["endpoint"]>;
  readonly headers?: Partial<SiteRules["headers"]>;
};

/** The rules of a plain site at a website endpoint. */
export const memoryRules = ({ endpoint, headers, ...changes }: RuleChanges = {}): SiteRules => ({
  entry: "index.html",
  clientRoutes: false,
  retireWorkers: false,
  noIndex: false,
  needsPages: false,
  exclude: [],
  headers: { freshness: [], types: [], headers: [], edgeCanForget: true, ...headers },
  addressRules: { forms: ["file", "folder"], basePath: "/", indexName: "index.html" },
  redirects: [],
  compression: "off",
  endpoint: {
    ...{ serves: "website", carriesRedirects: true, plainNames: false, ownsWebsite: false, bucketPrefix: "" },
    ...endpoint,
  },
  ...changes,
});

export interface MemoryDeliveryOptions {
  readonly files: Readonly<Record<string, string>>;
  readonly store: ObjectStore;
  readonly edges?: readonly Edge[];
  readonly clock?: Clock;
  readonly machine?: Machine;
  readonly rules?: RuleChanges;
  readonly retention?: RetentionRule;
  /** Counts the store's requests; absent: a new one, which nobody reads. */
  readonly tally?: RequestTally;
  /** Whether calls that failed are tried again, as the wiring does it. */
  readonly retries?: boolean;
  readonly report?: Reporter;
}

let runs = 0;

/** A run on memory: no file, no clock, every guard lifted. */
export function memoryDelivery({
  files,
  store,
  edges = [],
  clock = STILL,
  machine,
  rules = {},
  retention = { releases: 2, forSeconds: 0 },
  retries = false,
  tally = createTally(),
  report = () => undefined,
}: MemoryDeliveryOptions): Delivery {
  runs += 1;
  const gate: WriteGate = { assertOurs: undefined };
  const gated = countWrites(gateWrites(store, gate), tally);
  const headers = { edgeCanForget: edges.length > 0, ...rules.headers };
  return {
    run: {
      ...{ name: `run-${runs}`, author: { by: "test" }, clock, report },
      interruption: { assertGoesOn: () => undefined, orStop: (work) => work },
    },
    place: {
      ...{ site: "Pelican Sound Ferries", destination: "memory", edges, tally, visitors: undefined },
      siteRules: memoryRules({ ...rules, headers }),
      store: retries ? withRetries(gated, { clock, report, countRetry: () => undefined }) : gated,
    },
    writing: {
      ...{ gate, pace: new Pace(), leaseSeconds: 30 },
      machine: machine ?? {
        describe: () => ({ host: "test", process: runs, processStart: "" }),
        isAlive: () => undefined,
      },
    },
    safety: {
      retention,
      vanishShare: 1,
      allowed: new Set(["no-entry", "vanish", "wrong-folder", "worker-vanishes"]),
    },
    source: memoryBuild(files),
  };
}

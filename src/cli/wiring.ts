import { randomBytes } from "node:crypto";
import { userInfo } from "node:os";
import { join } from "node:path";
import { GUARD_CODES } from "../core/guards.ts";
import { OperatorError } from "../core/failures.ts";
import type { Delivery } from "../workflows/delivery.ts";
import { openBuild, type CachePlace, type FolderBuildOptions } from "../gather/folder-build.ts";
import { withRetries } from "../perform/retry.ts";
import type { Clock } from "../ports/clock.ts";
import {
  REQUEST_KINDS,
  type CountRequest,
  type ObjectStore,
  type RequestKind,
} from "../ports/object-store.ts";
import type { Edge } from "../ports/edge.ts";
import type { Reporter } from "../ports/reporter.ts";
import { chooseTarget, type Target } from "../settings/destination.ts";
import { loadSettings, SETTINGS_FILE } from "../settings/load.ts";
import { list, text, type Arguments } from "./command.ts";
import type { Terminal } from "./terminal.ts";

export const systemClock: Clock = {
  now: () => new Date(),
  monotonicMs: () => performance.now(),
  sleep: (ms) => new Promise((done) => setTimeout(done, ms)),
  random: () => Math.random(),
};

/** Puts together what a workflow works with; the only place that knows the adapters. */
export async function wireDelivery(args: Arguments, terminal: Terminal, report: Reporter): Promise<Delivery> {
  const target = readTarget(args, terminal);
  const requests = Object.fromEntries(REQUEST_KINDS.map((kind) => [kind, 0])) as Record<RequestKind, number>;
  const store = await openStore(target, (kind) => (requests[kind] += 1));
  const note = text(args, "note");
  const commit = text(args, "commit");
  const sequence = readSequence(text(args, "sequence"));
  const allowed = readAllowed(list(args, "allow"));
  return {
    target,
    store: withRetries(store, { clock: systemClock, report, countRetry: () => (requests.retried += 1) }),
    edges: await openEdges(target),
    // Last, since an archive is unpacked here and only the run itself clears that away.
    source: await openBuild(target.buildFolder, buildOptionsOf(target, terminal)),
    clock: systemClock,
    report,
    requests,
    allowed,
    run: createRunName(),
    author: {
      by: userInfo().username,
      ...(commit === undefined ? {} : { commit }),
      ...(note === undefined ? {} : { note }),
      ...(sequence === undefined ? {} : { sequence }),
    },
  };
}

export function readTarget(args: Arguments, terminal: Terminal): Target {
  const file = text(args, "settings") ?? SETTINGS_FILE;
  return chooseTarget(
    loadSettings(file, terminal.environment),
    { to: text(args, "to"), build: text(args, "build") },
    terminal.folder,
  );
}

async function openStore({ store }: Target, count: CountRequest): Promise<ObjectStore> {
  if (store.kind !== "s3") throw new Error("the settings refuse this kind");
  const { createS3Store } = await import("../adapters/stores/s3/s3-store.ts");
  return createS3Store(store, count);
}

async function openEdges({ edges, url }: Target): Promise<Edge[]> {
  return Promise.all(
    edges.map(async (edge) => {
      if (edge.kind === "distribution") {
        const { createDistributionEdge } =
          await import("../adapters/edges/distribution/distribution-edge.ts");
        return createDistributionEdge(edge, systemClock);
      }
      const { createPurgeEdge } = await import("../adapters/edges/purge/purge-edge.ts");
      const nodes = edge.nodes ?? [edge.url ?? url ?? ""];
      return createPurgeEdge(
        { ...edge, nodes, host: edge.host ?? new URL(url ?? (nodes[0] as string)).host },
        systemClock,
      );
    }),
  );
}

/** Sorts by time and is never twice the same. */
const createRunName = (): string =>
  `${new Date().toISOString().replace(/[-:]|\.\d+Z/g, "")}-${randomBytes(4).toString("hex")}`;

function readSequence(value: string | undefined): number | undefined {
  if (value === undefined || /^\d{1,15}$/.test(value)) return value === undefined ? undefined : Number(value);
  throw new OperatorError("usage", {
    reason: `--sequence ${value}: should be a whole number`,
    command: "deliver",
  });
}

function readAllowed(codes: readonly string[]): Set<string> {
  const wrong = codes.find((code) => !(GUARD_CODES as readonly string[]).includes(code));
  if (wrong === undefined) return new Set(codes);
  throw new OperatorError("usage", {
    reason: `--allow ${wrong}: the guards that can be lifted are ${GUARD_CODES.join(", ")}`,
    command: "deliver",
  });
}

export const buildOptionsOf = ({ projectFolder }: Target, terminal: Terminal): FolderBuildOptions => ({
  cache: cachePlaceOf(terminal),
  projectFolder,
});

/** The user's cache folder (XDG Base Directory Specification §3); nowhere without a home. */
function cachePlaceOf({ environment }: Terminal): CachePlace | undefined {
  const { XDG_CACHE_HOME: caches, HOME: home } = environment;
  const base =
    caches !== undefined && caches !== ""
      ? caches
      : home === undefined || home === ""
        ? undefined
        : join(home, ".cache");
  return base === undefined
    ? undefined
    : { folder: join(base, "restless-courier"), nowMs: systemClock.now().getTime() };
}

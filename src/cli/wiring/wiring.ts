import { randomBytes } from "node:crypto";
import { existsSync } from "node:fs";
import { userInfo } from "node:os";
import { join } from "node:path";
import { GUARD_CODES } from "../../core/delivery/guards.ts";
import { OperatorError } from "../../core/model/failure.ts";
import { systemMachine } from "../../adapters/machine/system-machine.ts";
import { Pace } from "../../core/delivery/pace.ts";
import { gateWrites, type WriteGate } from "../../perform/gate.ts";
import type { PublicSite } from "../../ports/public-site.ts";
import type { Delivery, Interruption } from "../../workflows/delivery.ts";
import { openBuild, type CachePlace, type FolderBuildOptions } from "../../gather/folder-build.ts";
import { createRetry, withRetries, type RetryTools } from "../../perform/retry.ts";
import type { Bucket } from "../../ports/bucket.ts";
import type { Clock } from "../../ports/clock.ts";
import {
  REQUEST_KINDS,
  type CountRequest,
  type ObjectStore,
  type RequestKind,
  type TryAgain,
} from "../../ports/object-store.ts";
import type { Edge } from "../../ports/edge.ts";
import type { Reporter } from "../../ports/reporter.ts";
import { chooseTarget, type Target } from "../../settings/destination.ts";
import { loadSettings, SETTINGS_FILE } from "../../settings/load.ts";
import { list, text, type Arguments } from "../frame/command.ts";
import { SANDBOX_CREDENTIALS } from "./sandbox-credentials.ts";
import type { Terminal } from "../frame/terminal.ts";

const systemClock: Clock = {
  now: () => new Date(),
  monotonicMs: () => performance.now(),
  sleep: (ms) => new Promise((done) => setTimeout(done, ms)),
  every: (ms, task) => {
    const timer = setInterval(task, ms).unref();
    return () => {
      clearInterval(timer);
    };
  },
  random: () => Math.random(),
};

interface RunTools {
  readonly report: Reporter;
  readonly interruption: Interruption;
}

/** Puts together what a workflow works with; the only place that knows the adapters. */
export async function wireDelivery(args: Arguments, terminal: Terminal, tools: RunTools): Promise<Delivery> {
  const { buildFolder } = readTarget(args, terminal);
  const { ci } = terminal;
  // What the service says of its run is said of the build that it has made, and of nothing else.
  const told = {
    ...(ci?.sequence ? { sequence: ci.sequence } : {}),
    ...(ci?.commit ? { commit: ci.commit } : {}),
  };
  const delivery = await wireDestination({ ...told, ...args }, terminal, tools);
  const target = { ...delivery.target, buildFolder };
  // Last, since an archive is unpacked here and only the run itself clears that away.
  return { ...delivery, target, source: await openBuild(buildFolder, buildOptionsOf(target, terminal)) };
}

/** The same for commands that need no build. */
export async function wireDestination(
  args: Arguments,
  terminal: Terminal,
  { report, interruption }: RunTools,
): Promise<Delivery> {
  // Which folder the build is in does not matter here.
  const chosen = readTarget({ build: ".", ...args }, terminal);
  // What is written down passes the same door as what is printed.
  const { redact } = terminal;
  const target = { ...chosen, site: redact(chosen.site) };
  const requests = Object.fromEntries(REQUEST_KINDS.map((kind) => [kind, 0])) as Record<RequestKind, number>;
  const gate: WriteGate = { assertOurs: undefined };
  const pace = new Pace();
  const [note, commit] = [text(args, "note"), text(args, "commit")];
  const sequence = readSequence(text(args, "sequence"));
  const allowed = readAllowed(list(args, "allow"));
  const retries: RetryTools = {
    clock: systemClock,
    report,
    countRetry: () => (requests.retried += 1),
    noteThrottled: () => {
      pace.noteThrottled(systemClock.monotonicMs());
    },
  };
  const count: CountRequest = (kind) => (requests[kind] += 1);
  const store = gateWrites(await openStore(target, count, createRetry(retries)), gate);
  return {
    target,
    store: withRetries(store, retries),
    site: await openSite(target),
    machine: systemMachine,
    ...{ pace, gate, interruption },
    edges: await openEdges(target),
    source: NO_BUILD,
    clock: systemClock,
    report,
    requests,
    allowed,
    run: createRunName(),
    author: {
      by: redact(userInfo().username),
      ...(commit === undefined ? {} : { commit: redact(commit) }),
      ...(note === undefined ? {} : { note: redact(note) }),
      ...(sequence === undefined ? {} : { sequence }),
    },
  };
}

const noBuild = (): never => {
  throw new Error("this command has no build");
};
const NO_BUILD: Delivery["source"] = {
  read: noBuild,
  // Of a file without content there is nothing to read.
  open: ({ storedHash, size }) =>
    size === 0 ? { size, hash: storedHash, open: () => Buffer.alloc(0) } : noBuild(),
  findChanged: () => undefined,
  close: () => undefined,
};

export function readTarget(args: Arguments, terminal: Terminal): Target {
  const file = text(args, "settings") ?? SETTINGS_FILE;
  return chooseTarget(
    loadSettings(file, terminal.environment),
    { to: text(args, "to"), build: text(args, "build") },
    terminal.folder,
  );
}

/** The sandbox's keys stand in a file of the project; everybody else's where the user keeps them. */
export function findCredentialsFile(
  profile: string | undefined,
  { projectFolder }: Target,
): string | undefined {
  const file = join(projectFolder, SANDBOX_CREDENTIALS);
  return profile === "sandbox" && existsSync(file) ? file : undefined;
}

async function openStore(target: Target, count: CountRequest, again: TryAgain): Promise<ObjectStore> {
  const { store } = target;
  if (store.kind === "folder") {
    const { createFolderStore } = await import("../../adapters/stores/folder/folder-store.ts");
    return createFolderStore(store.folder, count);
  }
  const { createS3Store } = await import("../../adapters/stores/s3/s3-store.ts");
  return createS3Store(
    { ...store, credentialsFile: findCredentialsFile(store.profile, target) },
    count,
    again,
  );
}

/** The bucket of a store that has one. */
export async function openBucket(target: Target): Promise<Bucket> {
  const { store } = target;
  if (store.kind === "folder") throw new Error("a folder is no bucket");
  const { createS3Bucket } = await import("../../adapters/stores/s3/bucket.ts");
  return createS3Bucket({ ...store, credentialsFile: findCredentialsFile(store.profile, target) });
}

async function openSite({ url }: Target): Promise<PublicSite | undefined> {
  if (url === undefined) return undefined;
  const { createHttpSite } = await import("../../adapters/public-site/http-site.ts");
  return createHttpSite(url);
}

async function openEdges(target: Target): Promise<Edge[]> {
  const { edges, url } = target;
  return Promise.all(
    edges.map(async (edge) => {
      if (edge.kind === "distribution") {
        const { createDistributionEdge } =
          await import("../../adapters/edges/distribution/distribution-edge.ts");
        const credentialsFile = findCredentialsFile(edge.profile, target);
        return createDistributionEdge({ ...edge, credentialsFile }, systemClock);
      }
      const { createPurgeEdge } = await import("../../adapters/edges/purge/purge-edge.ts");
      const nodes = edge.nodes ?? [edge.url ?? url ?? ""];
      return createPurgeEdge(
        { ...edge, nodes, host: (edge.host ?? new URL(url ?? (nodes[0] as string)).host).toLowerCase() },
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

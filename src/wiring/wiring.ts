import { randomBytes } from "node:crypto";
import { existsSync } from "node:fs";
import { userInfo } from "node:os";
import { join, relative } from "node:path";
import { findCacheFolder } from "../system/cache-folder.ts";
import { systemClock } from "../adapters/clock/system-clock.ts";
import { spareMemory, systemMachine } from "../adapters/machine/system-machine.ts";
import { GUARD_CODES } from "../core/delivery/guards.ts";
import { Pace } from "../core/delivery/pace.ts";
import { OperatorError } from "../core/model/failure.ts";
import { headOf } from "../core/addresses/preview-name.ts";
import { skipBelow } from "../gather/skip-below.ts";
import { openBuild } from "../gather/folder-build.ts";
import type { CachePlace } from "../gather/hash-cache.ts";
import { countWrites, gateWrites, noteLargest, type LargestSeen, type WriteGate } from "../perform/gate.ts";
import { createRetry, withRetries, type RetryTools } from "../perform/retry.ts";
import type { BuildSource } from "../ports/build-source.ts";
import type { Clock } from "../ports/clock.ts";
import { createTally, type ObjectStore } from "../ports/object-store.ts";
import { findSettings } from "../settings/find.ts";
import { assertMade, buildFolderOf, chooseGeneral, chooseTarget } from "../settings/destination.ts";
import type { GeneralTarget, Target } from "../settings/target.ts";
import {
  loadSettings,
  parseSettings,
  SETTINGS_FILE,
  takeSettings,
  type LoadedSettings,
} from "../settings/load.ts";
import type { Author, Delivery, PreviewPlace, Run, Stay } from "../workflows/run.ts";
import type { Call } from "./call.ts";
import { openEdges, openRuleKeeper, openStore, openVisitors, type RunTies, type StoreTools } from "./open.ts";

/** The clock of this machine, for commands that run until they are stopped. */
export const wiredClock: Clock = systemClock;

/** What a run tells, and who may stop it. */
export interface RunTools extends Pick<Run, "report" | "interruption"> {
  readonly ties: RunTies;
  /** Takes note of the largest object. */
  readonly largest: LargestSeen;
}

/** The destination that the call and the settings mean. Throws `edge-unmade`. */
export function readTarget(call: Call): Target {
  const target = readUnmade(call);
  assertMade(target);
  return target;
}

/** The same where its distribution need not be made yet. */
export const readUnmade = (call: Call): Target => chooseTarget(readSettings(call), call, call.folder);

/** The settings that a call names or brings. */
const readSettings = (call: Call): LoadedSettings =>
  typeof call.settings === "object"
    ? takeSettings(call.settings, call)
    : loadSettings(findSettings(call.settings ?? SETTINGS_FILE, call.folder), call);

/** The names of all destinations. Throws what reading the settings throws. */
export const listDestinations = (call: Call): string[] =>
  Object.keys(readSettings(call).settings.destinations);

/** The settings that are named, or those that are there; none are needed where the call names the build. */
export function readGeneral(call: Call): GeneralTarget {
  const { folder, settings = SETTINGS_FILE } = call;
  const isThere =
    typeof settings === "object" ||
    settings !== SETTINGS_FILE ||
    existsSync(join(folder, findSettings(settings, folder)));
  if (isThere || call.build === undefined) return chooseGeneral(readSettings(call), call, folder);
  const parsed = parseSettings("site: '-'\ndestinations: {}\n", "the defaults", { environment: {} });
  return chooseGeneral({ ...parsed, folder }, call, folder);
}

/** The settings of a destination, and what a run there works with. */
export interface Wired<S extends Stay> {
  readonly target: Target;
  readonly stay: S;
}

/** Puts together what a run works with; with `open.ts` the only place that knows the adapters. */
export async function wireDestination(
  call: Call,
  tools: RunTools,
  target = readTarget(call),
): Promise<Wired<Stay>> {
  return { target, stay: await wireStay(target, call, tools) };
}

/** The same with the build of that destination. */
export async function wireDelivery(call: Call, tools: RunTools): Promise<Wired<Delivery>> {
  const target = readTarget(call);
  // Said before anything is opened.
  buildFolderOf(target);
  const { commit = call.ofBuild?.commit, sequence = call.ofBuild?.sequence } = call;
  const stay = await wireStay(target, { ...call, commit, sequence }, tools);
  // Last, since an archive is unpacked here and only the run itself clears that away.
  const { source } = await openBuildOf(target, call);
  return { target, stay: { ...stay, source } };
}

/** Above this many files memory counts more than a twentieth of the time. */
const VERY_MANY = 10_000;

/** The build of a destination. Throws `usage` where nobody says which it is, `no-build`. */
export async function openBuildOf(
  target: Pick<Target, "buildFolder" | "projectFolder" | "added">,
  call: Call,
): Promise<{ readonly folder: string; readonly source: BuildSource }> {
  const folder = buildFolderOf(target);
  // A build that the call names, and that stands elsewhere, was not made from the sources here.
  const isOther = call.build !== undefined && relative(target.projectFolder, folder).startsWith("..");
  const projectFolder = isOther ? undefined : target.projectFolder;
  return {
    folder,
    source: await openBuild(folder, {
      cache: cachePlaceOf(call),
      projectFolder,
      added: target.added,
      onScanned: (files) => {
        if (call.ownsProcess && files > VERY_MANY) spareMemory();
      },
    }),
  };
}

async function wireStay(
  target: Target,
  call: Call,
  { report, interruption, ties, largest }: RunTools,
): Promise<Stay> {
  const { destination, siteRules, safety } = target;
  const tally = createTally();
  const gate: WriteGate = { assertOurs: undefined };
  const pace = new Pace();
  const { redact } = call;
  const author = readAuthor(call);
  const allowed = readAllowed(call.allow);
  const retries: RetryTools = {
    clock: systemClock,
    report,
    orStop: (work) => interruption.orStop(work),
    countRetry: () => (tally.requests.retried += 1),
    noteThrottled: () => {
      pace.noteThrottled(systemClock.monotonicMs());
    },
  };
  const count = (kind: keyof typeof tally.requests): void => {
    tally.requests[kind] += 1;
  };
  const opened = await openStore(target, { count, again: createRetry(retries), ...ties });
  const store = gateWrites(withoutPreviews(opened, target), gate);
  return {
    run: { name: createRunName(), author, clock: systemClock, report, interruption },
    place: {
      // What is written down passes the same door as what is printed.
      site: redact(target.site),
      ...{ destination, siteRules, tally },
      store: noteLargest(withRetries(countWrites(store, tally), retries), largest),
      preview: await wirePreview(target, { ...ties, count, again: createRetry(retries) }, retries),
      edges: await openEdges(target, systemClock, ties),
      ruleKeeper: await openRuleKeeper(target, systemClock, ties),
      visitors: await openVisitors(target, ties),
    },
    writing: { pace, gate, machine: systemMachine, leaseSeconds: safety.leaseSeconds },
    safety: { retention: safety.retention, vanishShare: safety.vanishShare, allowed },
  };
}

/** A destination's own list has no previews in it that stand below it. */
function withoutPreviews(store: ObjectStore, { previews }: Target): ObjectStore {
  const { prefix } = store.location;
  const folder = previews && headOf(previews.prefix);
  if (!folder?.startsWith(prefix)) return store;
  return skipBelow(store, folder.slice(prefix.length));
}

/** What a preview knows of the destination that it is of. */
async function wirePreview(
  target: Target,
  tools: StoreTools,
  retries: RetryTools,
): Promise<PreviewPlace | undefined> {
  const { preview } = target;
  if (!preview) return undefined;
  const { name, lastsSeconds } = preview;
  const store = withRetries(await openStore({ ...target, store: preview.store }, tools), retries);
  const { bucket, prefix } = store.location;
  return {
    ...{ name, lastsSeconds, original: { store, place: { bucket, prefix } } },
    until: new Date(systemClock.now().getTime() + lastsSeconds * 1000).toISOString(),
  };
}

/** Sorts by time and is never twice the same. */
const createRunName = (): string =>
  `${new Date().toISOString().replace(/[-:]|\.\d+Z/g, "")}-${randomBytes(4).toString("hex")}`;

/** Who delivers. Read when it is written down: by then a secret of a profile, which somebody put into a note, is known. */
function readAuthor({ redact, environment, note, commit, ...said }: Call): Author {
  const sequence = readSequence(said.sequence);
  // In CI the machine's user is nobody in particular.
  const by = said.ofBuild?.by ?? readUser(environment);
  const author: Author = {
    get by() {
      return redact(by);
    },
    ...(sequence === undefined ? {} : { sequence }),
  };
  if (commit !== undefined) define(author, "commit", () => redact(commit));
  if (note !== undefined) define(author, "note", () => redact(note));
  return author;
}

const define = (author: Author, name: keyof Author, get: () => string): void => {
  Object.defineProperty(author, name, { get, enumerable: true });
};

/** @returns the user's name; `uid 54321` in a container where the user has none */
export function readUser({ USER, LOGNAME }: NodeJS.ProcessEnv): string {
  try {
    return userInfo().username;
  } catch {
    return USER ?? LOGNAME ?? `uid ${process.getuid?.() ?? "unknown"}`;
  }
}

function readSequence(value: string | undefined): number | undefined {
  if (value === undefined || /^\d{1,15}$/.test(value)) return value === undefined ? undefined : Number(value);
  throw new OperatorError("usage", {
    reason: `--sequence must be a whole number, not ${value}`,
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

/** Where what was read of a build is kept; nowhere without a home. */
export function cachePlaceOf({ environment, onDamaged = () => undefined }: Call): CachePlace | undefined {
  const folder = findCacheFolder(environment);
  if (folder === undefined) return undefined;
  return { folder, nowMs: systemClock.now().getTime(), onDamaged };
}

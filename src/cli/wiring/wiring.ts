import { randomBytes } from "node:crypto";
import { existsSync } from "node:fs";
import { userInfo } from "node:os";
import { join, relative } from "node:path";
import { findCacheFolder } from "../../system/cache-folder.ts";
import { systemClock } from "../../adapters/clock/system-clock.ts";
import { spareMemory, systemMachine } from "../../adapters/machine/system-machine.ts";
import { GUARD_CODES } from "../../core/delivery/guards.ts";
import { Pace } from "../../core/delivery/pace.ts";
import { OperatorError } from "../../core/model/failure.ts";
import { headOf } from "../../core/addresses/preview-name.ts";
import { skipBelow } from "../../gather/skip-below.ts";
import { openBuild } from "../../gather/folder-build.ts";
import type { CachePlace } from "../../gather/hash-cache.ts";
import {
  countWrites,
  gateWrites,
  noteLargest,
  type LargestSeen,
  type WriteGate,
} from "../../perform/gate.ts";
import { createRetry, withRetries, type RetryTools } from "../../perform/retry.ts";
import type { BuildSource } from "../../ports/build-source.ts";
import type { Clock } from "../../ports/clock.ts";
import { createTally, type ObjectStore } from "../../ports/object-store.ts";
import { assertMade, buildFolderOf, chooseGeneral, chooseTarget } from "../../settings/destination.ts";
import type { GeneralTarget, Target } from "../../settings/target.ts";
import { loadSettings, parseSettings, SETTINGS_FILE } from "../../settings/load.ts";
import type { Author, Delivery, PreviewPlace, Run, Stay } from "../../workflows/run.ts";
import { isSet, list, text, type Arguments } from "../frame/command.ts";
import { clean, type Terminal } from "../frame/terminal.ts";
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
export function readTarget(args: Arguments, terminal: Terminal): Target {
  const target = readUnmade(args, terminal);
  assertMade(target);
  return target;
}

/** The same where its distribution need not be made yet. */
export function readUnmade(args: Arguments, terminal: Terminal): Target {
  const file = text(args, "settings") ?? SETTINGS_FILE;
  return chooseTarget(
    loadSettings(file, terminal),
    { to: text(args, "to"), build: text(args, "build"), preview: previewOf(args, terminal) },
    terminal.folder,
  );
}

/** The preview that a call means; undefined: none. In CI its name need not be said: it is the branch. */
function previewOf(args: Arguments, { ci }: Terminal): string | undefined {
  const name = text(args, "preview");
  if (name !== "") return name;
  const branch = ci?.branch ?? "";
  if (branch !== "") return branch;
  throw new OperatorError("usage", {
    reason: "--preview: what is it called? Only in CI the branch is known",
    command: "deliver",
  });
}

/** The settings that are named, or those that are there; none are needed where the call names the build. */
export function readGeneral(args: Arguments, terminal: Terminal): GeneralTarget {
  const { folder } = terminal;
  const file = text(args, "settings") ?? SETTINGS_FILE;
  const preview = previewOf(args, terminal);
  const options = { to: text(args, "to"), build: text(args, "build"), preview };
  const isThere = file !== SETTINGS_FILE || existsSync(join(folder, SETTINGS_FILE));
  if (isThere || options.build === undefined)
    return chooseGeneral(loadSettings(file, terminal), options, folder);
  const parsed = parseSettings("site: '-'\ndestinations: {}\n", "the defaults", { environment: {} });
  return chooseGeneral({ ...parsed, folder }, options, folder);
}

/** The settings of a destination, and what a run there works with. */
export interface Wired<S extends Stay> {
  readonly target: Target;
  readonly stay: S;
}

/** Puts together what a run works with; with `open.ts` the only place that knows the adapters. */
export async function wireDestination(
  args: Arguments,
  terminal: Terminal,
  tools: RunTools,
  target = readTarget(args, terminal),
): Promise<Wired<Stay>> {
  return { target, stay: await wireStay(target, args, terminal, tools) };
}

/** The same with the build of that destination. */
export async function wireDelivery(
  args: Arguments,
  terminal: Terminal,
  tools: RunTools,
): Promise<Wired<Delivery>> {
  const target = readTarget(args, terminal);
  // Said before anything is opened.
  buildFolderOf(target);
  const { ci } = terminal;
  // What the service says of its run is said of the build that it has made, and of nothing else.
  const told = {
    ...(ci?.sequence ? { sequence: ci.sequence } : {}),
    ...(ci?.commit ? { commit: ci.commit } : {}),
  };
  const stay = await wireStay(target, { ...told, ...args }, terminal, tools);
  // Last, since an archive is unpacked here and only the run itself clears that away.
  const { source } = await openBuildOf(target, args, terminal);
  return { target, stay: { ...stay, source } };
}

/** Above this many files memory counts more than a twentieth of the time. */
const VERY_MANY = 10_000;

/** The build of a destination. Throws `usage` where nobody says which it is, `no-build`. */
export async function openBuildOf(
  target: Pick<Target, "buildFolder" | "projectFolder" | "added">,
  args: Arguments,
  terminal: Terminal,
): Promise<{ readonly folder: string; readonly source: BuildSource }> {
  const folder = buildFolderOf(target);
  // A build that the call names, and that stands elsewhere, was not made from the sources here.
  const isOther =
    text(args, "build") !== undefined && relative(target.projectFolder, folder).startsWith("..");
  const projectFolder = isOther ? undefined : target.projectFolder;
  return {
    folder,
    source: await openBuild(folder, {
      cache: cachePlaceOf(args, terminal),
      projectFolder,
      added: target.added,
      onScanned: (files) => {
        if (files > VERY_MANY) spareMemory();
      },
    }),
  };
}

async function wireStay(
  target: Target,
  args: Arguments,
  { redact, environment }: Terminal,
  { report, interruption, ties, largest }: RunTools,
): Promise<Stay> {
  const { destination, siteRules, safety } = target;
  const tally = createTally();
  const gate: WriteGate = { assertOurs: undefined };
  const pace = new Pace();
  const author = readAuthor(args, { redact, environment });
  const allowed = readAllowed(list(args, "allow"));
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
function readAuthor(
  args: Arguments,
  { redact, environment }: Pick<Terminal, "redact" | "environment">,
): Author {
  const [note, commit] = [text(args, "note"), text(args, "commit")];
  const sequence = readSequence(text(args, "sequence"));
  const by = readUser(environment);
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

/** Where what was read of a build is kept; nowhere without a home. */
export function cachePlaceOf(args: Arguments, { environment, say }: Terminal): CachePlace | undefined {
  const folder = findCacheFolder(environment);
  if (folder === undefined) return undefined;
  return {
    folder,
    nowMs: systemClock.now().getTime(),
    onDamaged: (file) => {
      if (isSet(args, "verbose")) say(`the cache ${clean(file)} is damaged: every file is read anew\n`);
    },
  };
}

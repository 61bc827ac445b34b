import { request } from "node:http";
import { buffer } from "node:stream/consumers";
import { existsSync, readdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { OperatorError } from "../../core/model/failure.ts";
import { makeTemporaryFolder } from "../../system/temporary-folder.ts";
import type { DeliveryResult } from "../../results/delivery.ts";
import { toTrafficResult, type TrafficResult } from "../../results/traffic.ts";
import { startSandbox, type SandboxFacts } from "../../sandbox/sandbox.ts";
import { deliver } from "../../workflows/deliver.ts";
import { redeliver } from "../../workflows/redeliver.ts";
import type { Delivery } from "../../workflows/run.ts";
import type { DeliverOptions } from "../../workflows/run-release.ts";
import { readTraffic } from "../../workflows/traffic.ts";
import { takeOver } from "../../workflows/take-over.ts";
import type { Target } from "../../settings/target.ts";
import { withElsewhere } from "../../wiring/elsewhere.ts";
import { withLogs } from "../../wiring/logs.ts";
import type { RunTies } from "../../wiring/open.ts";
import { showMissing } from "../traffic/show-missing.ts";
import { showDelivery } from "../deliver/show.ts";
import { showBytes, showSeconds } from "../../words/numbers.ts";
import { waitForStop } from "../frame/signals.ts";
import type { Terminal } from "../frame/terminal.ts";
import type { Call } from "../../wiring/call.ts";
import { close } from "../../wiring/session.ts";
import { toCall } from "../frame/session.ts";
import { wireDelivery } from "../../wiring/wiring.ts";

const POINTS = 2;
const PROPAGATION_MS = 100;

/** Runs the whole example: two deliveries and what visitors see of them. Throws `demo-failed` when that is not as it should be. */
export async function runDemo(terminal: Terminal, { keep }: { readonly keep: boolean }): Promise<void> {
  const started = performance.now();
  const builds = findBuilds();
  const { folder, dispose } = makeTemporaryFolder("demo");
  const sandbox = await startSandbox({
    data: join(folder, "sandbox"),
    storePort: 0,
    edgePort: 0,
    bucket: "pelican-sound-web",
    points: POINTS,
    propagationMs: PROPAGATION_MS,
    origin: "website",
    clientRoutes: false,
    query: "ignored",
  });
  try {
    const stage: Stage = { terminal, facts: sandbox.facts, folder, builds };
    writeFileSync(join(folder, "courier.yaml"), toSettings(stage));
    await perform(stage);
    terminal.print(`\n${showSeconds((performance.now() - started) / 1000)} in all. `);
    if (keep) await keepRunning(stage);
    else terminal.print("The sandbox is stopped and cleaned up; rcourier demo --keep leaves it running.\n");
  } finally {
    await sandbox.close();
    dispose();
  }
}

interface Stage {
  readonly terminal: Terminal;
  readonly facts: SandboxFacts;
  readonly folder: string;
  readonly builds: string;
}

/** The demo's builds ship with the tool, beside its bundle. */
function findBuilds(): string {
  const folder = fileURLToPath(new URL("../demo/builds", import.meta.url));
  if (!existsSync(folder))
    throw new OperatorError("demo-failed", { reason: `its builds are not at ${folder}` });
  return folder;
}

const toSettings = ({ facts, builds }: Stage): string =>
  [
    "site: Pelican Sound Ferries",
    `build: { folder: ${JSON.stringify(join(builds, "1"))} }`,
    "destinations:",
    "  practice:",
    `    url: ${facts.edge}`,
    `    store: { kind: s3, bucket: ${facts.bucket}, region: ${facts.region}, endpoint: "${facts.endpoint}", serves: website }`,
    `    edge: { kind: distribution, id: ${facts.distribution}, endpoint: "${facts.edgeApi}", query: ignored, minimumFreshness: 0s, worth: 4KB, settle: 0s, longestFetch: 0s }`,
    `    previews: { address: "${facts.edge.replace("127.0.0.1", "{name}.preview.localhost")}" }`,
    "",
  ].join("\n");

async function perform(stage: Stage): Promise<void> {
  const { terminal, builds } = stage;
  terminal.print(
    "A ferry line's site goes to a store behind an edge. Both are simulated, on this machine alone.\n",
  );

  title(terminal, 1, "The first build is delivered");
  await deliverBuild(stage, "1");

  title(terminal, 2, "Visitors come by, so the edge holds what they saw");
  const oldChunk = findChunk(join(builds, "1"));
  const pages = ["/", "/timetables/", "/timetables/alder-heron.json", "/crossings/gull-point/", oldChunk];
  await warm(stage, [...pages, "/crossings/cape-wren/", "/fleet/"]);
  for (const path of pages) await show(stage, path, {});
  await show(stage, "/crossings/cape-wren/", { status: 404, note: "not there yet" });

  await approve(stage);
  const second = join(builds, "2");

  title(terminal, 5, `The same addresses, at each of the ${POINTS} points of presence`);
  await show(stage, "/", { file: join(second, "index.html"), note: "new" });
  await show(stage, "/timetables/", { file: join(second, "timetables/index.html"), note: "new" });
  await show(stage, "/timetables/alder-heron.json", {
    file: join(second, "timetables/alder-heron.json"),
    note: "new",
  });
  await show(stage, "/crossings/cape-wren/", {
    file: join(second, "crossings/cape-wren/index.html"),
    note: "a new page",
  });
  await show(stage, "/crossings/gull-point/", { status: 404, note: "removed with the new build" });
  await show(stage, oldChunk, {
    file: join(builds, "1", oldChunk),
    note: "kept: tabs that are open may still load it",
  });
  await show(stage, "/photos/port-alder.jpg", {
    file: join(second, "photos/port-alder.jpg"),
    note: "unchanged, never sent again",
  });

  title(terminal, 6, "The same build once more, now from the folder");
  const again = await deliverBuild(stage, "2");
  if (again.release !== again.previous)
    throw new OperatorError("demo-failed", { reason: "an unchanged build made a release" });

  title(terminal, 7, "The release before is put back, without a build");
  const back = await runOnStage(stage, { build: "2" }, (delivery, options) =>
    redeliver(delivery, "previous", options),
  );
  if (back.bytes.sent > 0)
    throw new OperatorError("demo-failed", { reason: "going back sent bytes that the store has" });
  terminal.print("\n");
  await show(stage, "/", { file: join(builds, "1", "index.html"), note: "as it was" });
  await show(stage, "/crossings/gull-point/", { note: "answers again" });

  title(terminal, 8, "What the edge's log tells of all that was not found");
  const told = await onStage(stage, { build: "2" }, (delivery, wired) => readLog(stage, delivery, wired));
  if (told.missing.removed.length === 0)
    throw new OperatorError("demo-failed", { reason: "the log tells of no page that is gone" });
  terminal.print(indent(showMissing(told, terminal, MOST_TOLD)));
}

/** What a demo has room for. */
const MOST_TOLD = 2;

/** What `rcourier traffic` would tell. */
async function readLog(
  { folder }: Stage,
  delivery: Delivery,
  { target, ties }: WiredCall,
): Promise<TrafficResult> {
  const wish = { names: [join(folder, "sandbox", "edge-access.log")], fromStore: undefined, folder };
  const { traffic, ...facts } = await withLogs(wish, delivery, { target, ties }, (logs) =>
    readTraffic(delivery.place, logs, () => undefined),
  );
  const { destination, safety } = target;
  return toTrafficResult(traffic, { ...facts, destination, retention: safety.retention });
}

/** The second build is shown to somebody, and goes live as it was shown. */
async function approve(stage: Stage): Promise<void> {
  const { terminal, builds } = stage;
  title(
    terminal,
    3,
    "The second build, first as a preview for whoever must approve: more boats, a new crossing, one closed",
  );
  const shown = await runOnStage(stage, { build: "2", preview: PREVIEW }, deliver);
  const preview = `${PREVIEW}.preview.localhost`;
  terminal.print("\n");
  await show(stage, "/crossings/cape-wren/", {
    file: join(builds, "2", "crossings/cape-wren/index.html"),
    host: preview,
    note: "at the preview's own address",
  });
  await show(stage, "/crossings/cape-wren/", { status: 404, note: "visitors don't see it" });

  title(terminal, 4, "It is approved: just those bytes go live, by copies inside the store");
  const live = await runOnStage(stage, { build: "2" }, (delivery, options, wired) =>
    takeOverPreview(delivery, options, { ...wired, release: shown.release }),
  );
  if (live.bytes.sent > 0)
    throw new OperatorError("demo-failed", { reason: "a preview that went live was sent once more" });
}

function title({ print, style }: Terminal, number: number, text: string): void {
  print(`\n${style("strong", `${number}  ${text}`)}\n\n`);
}

const PREVIEW = "new-crossing";

const deliverBuild = (stage: Stage, build: string): Promise<DeliveryResult> =>
  runOnStage(stage, { build }, deliver);

interface StagedCall {
  /** The number of a build. */
  readonly build: string;
  /** The preview that is meant; absent: the site itself. */
  readonly preview?: string;
}

/** What a delivery is wired with, for those who need more of it. */
interface WiredCall {
  readonly call: Call;
  readonly target: Target;
  readonly ties: RunTies;
}

type StageTask = (delivery: Delivery, options: DeliverOptions, wired: WiredCall) => Promise<DeliveryResult>;

/** The preview goes live, if it still is what was shown. */
const takeOverPreview = (
  stay: Delivery,
  options: DeliverOptions,
  { ties, release, ...call }: WiredCall & { readonly release: number },
): Promise<DeliveryResult> =>
  withElsewhere(
    { preview: PREVIEW, release: "current", mustBe: release },
    { stay, ...call },
    ties,
    (elsewhere) => takeOver(stay, { ...elsewhere, isThroughHere: false }, options),
  );

async function runOnStage(stage: Stage, call: StagedCall, task: StageTask): Promise<DeliveryResult> {
  const { terminal } = stage;
  const { result, now } = await onStage(stage, call, async (delivery, wired) => ({
    result: await task(delivery, { dryRun: false, all: false }, wired),
    now: delivery.run.clock.now(),
  }));
  const sheet = { ...terminal, columns: terminal.columns - 3 };
  const view = { now, verbose: false, callLike: (words: string) => `rcourier ${words}` };
  terminal.print(indent(showDelivery({ ...result, url: undefined }, sheet, view)));
  return result;
}

async function onStage<T>(
  { terminal, facts, folder, builds }: Stage,
  { build, preview }: StagedCall,
  task: (delivery: Delivery, wired: WiredCall) => Promise<T>,
): Promise<T> {
  // The storage client finds credentials where it always does, and asks nobody else for them.
  Object.assign(process.env, {
    AWS_ACCESS_KEY_ID: facts.accessKeyId,
    AWS_SECRET_ACCESS_KEY: facts.secretAccessKey,
    AWS_EC2_METADATA_DISABLED: "true",
  });
  const args = { settings: join(folder, "courier.yaml"), build: join(builds, build), preview };
  const ties = { hide: terminal.hide, stop: () => undefined, largest: () => 0 };
  // Nothing of the demo stays behind, in the user's cache folder neither.
  const own = toCall(args, { ...terminal, environment: {} });
  const { stay: delivery, target } = await wireDelivery(own, {
    report: () => undefined,
    interruption: { assertGoesOn: () => undefined, orStop: (work) => work },
    ...{ ties, largest: { bytes: 0 } },
  });
  try {
    return await task(delivery, { call: own, target, ties });
  } finally {
    close(delivery);
  }
}

const indent = (text: string): string => text.replace(/^(?=.)/gm, "   ");

/** The chunk with the departures board, under the hashed name of this build. */
function findChunk(build: string): string {
  const name = readdirSync(join(build, "assets")).find((candidate) => candidate.startsWith("departures-"));
  if (name === undefined)
    throw new OperatorError("demo-failed", { reason: `no departures chunk in ${build}` });
  return `/assets/${name}`;
}

async function warm({ facts }: Stage, paths: readonly string[]): Promise<void> {
  for (const point of facts.pops) for (const path of paths) await (await fetch(point + path)).arrayBuffer();
}

/** Asks every point of presence for an address, says what it answered, and insists on what it should. */
async function show(
  { terminal, facts }: Stage,
  path: string,
  expected: { status?: number; file?: string; note?: string; host?: string },
): Promise<void> {
  const { status = 200, file, note, host } = expected;
  let line = "";
  for (const point of facts.pops) {
    const response = await ask(point + path, host);
    const { body } = response;
    const isRight = response.status === status && (file === undefined || body.equals(readFileSync(file)));
    if (!isRight)
      throw new OperatorError("demo-failed", {
        reason: `${point}${path} answered ${response.status}, ${body.length} bytes`,
      });
    line = `   ${String(response.status)}  ${path.padEnd(34)} ${showBytes(body.length).padStart(8)}  `;
    line += terminal.style("faint", note ?? toWords(response.cacheStatus));
  }
  terminal.print(`${line.trimEnd()}\n`);
}

interface Seen {
  readonly status: number;
  readonly body: Buffer;
  readonly cacheStatus: string | undefined;
}

/** @param host the name under which a visitor comes; absent: that of the address */
function ask(address: string, host: string | undefined): Promise<Seen> {
  const headers = host === undefined ? {} : { host: `${host}:${new URL(address).port}` };
  return new Promise((resolve, reject) => {
    const call = request(address, { headers, agent: false }, (response) => {
      const { statusCode: status = 0 } = response;
      const cacheStatus = response.headers["cache-status"]?.toString();
      buffer(response).then((body) => {
        resolve({ status, body, cacheStatus });
      }, reject);
    });
    call.once("error", reject).end();
  });
}

const toWords = (cacheStatus: string | undefined): string =>
  /\bhit\b/.test(cacheStatus ?? "") ? "from the edge's cache" : "asked of the store";

async function keepRunning({ terminal, facts, folder }: Stage): Promise<void> {
  terminal.print(
    [
      "The sandbox is still running; stop it with Ctrl-C.",
      "",
      `  the site            ${facts.edge}/`,
      `  settings            ${join(folder, "courier.yaml")}`,
      `  to deliver to it    export AWS_ACCESS_KEY_ID=${facts.accessKeyId} AWS_SECRET_ACCESS_KEY=${facts.secretAccessKey}`,
      `                      rcourier compare --settings ${join(folder, "courier.yaml")}`,
      "",
    ].join("\n"),
  );
  await waitForStop();
}

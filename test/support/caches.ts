import { execFileSync, spawn } from "node:child_process";
import { once } from "node:events";
import { chmodSync, mkdirSync, writeFileSync } from "node:fs";
import { createServer, type AddressInfo, type Server } from "node:net";
import { basename, join, resolve } from "node:path";
import { setTimeout as sleep } from "node:timers/promises";
import type { DeliveryResult } from "../../src/results/delivery.ts";
import type { PrintedSetupResult } from "../../src/results/printed-setup.ts";
import { temporaryFolder } from "./builds.ts";
import { Project } from "./program.ts";
import { visitNode, WebRoot } from "./web-root.ts";

const SCRIPTS = resolve("test/servers/scripts");
const TOKEN = "ferry-token";

/** Real caches, started by the scripts beside the tests. */
export type Kind = "varnish" | "nginx" | "squid" | "trafficserver";

const stops: (() => void)[] = [];
export const stopAtEnd = (stop: () => void): void => void stops.push(stop);
export const stopAll = (): void => {
  for (const stop of stops.splice(0)) stop();
};

const openPort = async (port: number): Promise<Server | undefined> => {
  const server = createServer();
  const opened = once(server.listen(port, "127.0.0.1"), "listening");
  return opened.then(
    () => server,
    () => undefined,
  );
};

/** A port that is free, and the next one as well: one of them asks itself through it. */
async function findPort(): Promise<number> {
  for (;;) {
    const server = await openPort(0);
    const { port } = server?.address() as AddressInfo;
    const next = await openPort(port + 1);
    for (const one of [server, next]) {
      one?.close();
      if (one) await once(one, "close");
    }
    if (next) return port;
  }
}

/** A port that was free may be taken by the time that a server gets there. */
const STARTS = 3;

/** The files of a set-up by name, for a cache that answers at a port. */
export type SetUp = (port: number) => Promise<ReadonlyMap<string, string>>;

/**
 * @param setUp files of its own instead of the script's
 * @returns where it answers
 */
export async function startCache(
  kind: Kind,
  origin: string,
  environment: NodeJS.ProcessEnv = {},
  setUp?: SetUp,
): Promise<string> {
  for (let start = 1; ; start++)
    try {
      return await startOnce(kind, origin, environment, setUp);
    } catch (error) {
      if (start === STARTS) throw error;
    }
}

async function startOnce(
  kind: Kind,
  origin: string,
  environment: NodeJS.ProcessEnv,
  setUp: SetUp | undefined,
): Promise<string> {
  const [port, data] = [await findPort(), temporaryFolder(kind)];
  const own = { ...environment };
  if (setUp) {
    own.SETUP = temporaryFolder(`${kind}-set-up`);
    // Some give up being root before they read it.
    chmodSync(own.SETUP, 0o755);
    for (const [name, text] of await setUp(port))
      writeFileSync(join(own.SETUP, name), toLocal(text, { data, setUp: own.SETUP }));
  }
  const env = { ...process.env, ...own, PURGE_TOKEN: TOKEN };
  // Before it starts: one that does not answer is stopped as well.
  stopAtEnd(() => execFileSync(join(SCRIPTS, `stop-${kind}.sh`), [data], { stdio: "ignore" }));
  // Beside this process: the origin that it may ask answers out of it.
  const child = spawn(join(SCRIPTS, `start-${kind}.sh`), [String(port), origin, data], {
    env,
    stdio: "ignore",
  });
  const [exit] = (await once(child, "exit")) as [number | null];
  if (exit !== 0) throw new Error(`${kind} did not start`);
  return `http://127.0.0.1:${port}`;
}

/** A printed file with what everybody puts in for themselves: the token, and folders of this run. */
const toLocal = (text: string, own: { data: string; setUp: string }): string =>
  text
    .replaceAll("${EDGE_TOKEN}", TOKEN)
    .replaceAll("/var/cache/nginx", own.data)
    .replaceAll("/etc/squid", own.setUp);

/** A set-up just as `provision --print` gives it. @param toSettings settings whose cache answers at a port */
export const printSetUp =
  (kind: Kind, toSettings: (port: number) => string, more: readonly string[]): SetUp =>
  async (port) => {
    const project = new Project(toSettings(port), { accessKeyId: "none", secretAccessKey: "none" });
    const { exit, stdout, stderr } = await project.run([
      "provision",
      "--print",
      kind,
      "--format",
      "json",
      ...more,
    ]);
    if (exit !== 0) throw new Error(stderr);
    const { files } = JSON.parse(stdout) as PrintedSetupResult;
    return new Map(files.map(({ path, text }) => [basename(path), text]));
  };

/** Six forms that the tool's list has, and two that it has not. */
export const EIGHT = ["gzip, deflate, br, zstd", "gzip, deflate, br", "gzip, deflate", "gzip", "br", "", "compress", "gzip, br;q=0.4"]; // prettier-ignore
/** Seconds that a fetch is under way, of which the settings say nothing. */
const FLIGHT = Number(process.env.COURIER_FLIGHT ?? 2);
const LONGEST = FLIGHT > 10 ? "" : `, longestFetch: ${FLIGHT + 2}s`;
/** Out of it a printed cache takes the times after which it gives up: a busy machine must not come near them. */
export const PATIENT = ", longestFetch: 60s";
const PAGES = ["", ...Array.from({ length: 12 }, (_, number) => `page-${number}.html`)];

const writePages = (text: string): string => {
  const folder = temporaryFolder(text);
  mkdirSync(folder, { recursive: true });
  // Long enough to be compressed by caches that do so themselves.
  for (const page of PAGES)
    writeFileSync(
      join(folder, page || "index.html"),
      `<!doctype html><title>${page}</title>${`<p>${text}`.repeat(300)}`,
    );
  return folder;
};

export interface Flight {
  readonly kind: Kind;
  readonly environment?: NodeJS.ProcessEnv;
  /** Whether it runs as the tool prints it, and not as the script sets it up. */
  readonly isPrinted?: boolean;
  readonly varies: boolean;
  /** More of the edge's settings. */
  readonly edge: string;
  readonly queries?: readonly string[];
}

/**
 * Warms a real cache in eight forms, delivers while it has a fetch under way that began before, and looks at everything
 * when that has landed.
 * @returns the addresses that are old in any form, and those that the run says are owed
 */
export async function deliverInFlight(
  flight: Flight,
): Promise<{
  readonly exit: number | null;
  readonly old: readonly string[];
  readonly owed: readonly string[];
}> {
  const { kind, environment, isPrinted = false, varies, edge, queries = [""] } = flight;
  const folder = temporaryFolder("web-root");
  const [one, two] = [writePages("one"), writePages("two")];
  const root = new WebRoot(folder, varies);
  const origin = await root.start();
  stopAtEnd(() => {
    root.stop();
  });
  const toSettings = (place: string, confirm: string): string =>
    `site: Pelican Sound Ferries\nbuild: { folder: ${one} }\ndestinations:\n  web:\n    url: ${place}\n    store: { kind: folder, folder: ${folder} }\n    edge: { kind: purge, url: "${place}", token: ${TOKEN}, settle: 1s${confirm}, ${edge} }\n`;
  const more = ["--origin", origin, "--purge-from", "127.0.0.0/8"];
  const setUp = printSetUp(kind, (port) => toSettings(`http://127.0.0.1:${port}`, PATIENT), more);
  const node = await startCache(kind, origin, environment, isPrinted ? setUp : undefined);
  const { host } = new URL(node);
  const keys = { accessKeyId: "none", secretAccessKey: "none" };
  await new Project(toSettings(node, ", confirm: off"), keys).run(["deliver"]);
  const project = new Project(toSettings(node, LONGEST), keys);
  const addresses = PAGES.map((page) => `/${page}`);
  const readAll = async (text: string): Promise<string[]> => {
    const wrong = new Set<string>();
    for (const encoding of [...EIGHT, ...[...EIGHT].reverse()])
      for (const address of addresses)
        for (const query of queries) {
          const { content } = await visitNode(node, address + query, { host, encoding });
          if (!content.includes(`<p>${text}`)) wrong.add(address);
        }
    return [...wrong];
  };
  const strange = await readAll("one");
  if (strange.length > 0) throw new Error(`not warm: ${strange.join(" ")}`);
  const [slow = ""] = addresses.slice(3);
  await visitNode(node, slow, { host, method: "PURGE", headers: { "x-purge-token": TOKEN } });
  root.holdBack(slow);
  const late = visitNode(node, slow, { host }).catch(() => undefined);
  while (!root.isHolding(slow)) await sleep(10);
  const landed = sleep(FLIGHT * 1000).then(() => {
    root.release(slow);
  });
  const outcome = await project.run(["deliver", "--build", two, "--format", "json"]);
  await Promise.all([landed, late]);
  await sleep(300);
  const { invalidation } = JSON.parse(outcome.stdout) as DeliveryResult;
  return { exit: outcome.exit, old: await readAll("two"), owed: invalidation.owed };
}

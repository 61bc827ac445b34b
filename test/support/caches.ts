import { execFileSync } from "node:child_process";
import { chmodSync, mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { createServer, type AddressInfo } from "node:net";
import { basename, join, resolve } from "node:path";
import { setTimeout as sleep } from "node:timers/promises";
import type { DeliveryResult } from "../../src/results/delivery.ts";
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

async function findPort(): Promise<number> {
  const server = createServer();
  await new Promise<void>((done) => server.listen(0, "127.0.0.1", done));
  const { port } = server.address() as AddressInfo;
  await new Promise((done) => server.close(done));
  return port;
}

/** A port that was free may be taken by the time that a server gets there. */
const STARTS = 3;

/**
 * @param setUp files of its own, by name, instead of the script's
 * @returns where it answers
 */
export async function startCache(
  kind: Kind,
  origin: string,
  environment: NodeJS.ProcessEnv = {},
  setUp?: ReadonlyMap<string, string>,
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
  setUp: ReadonlyMap<string, string> | undefined,
): Promise<string> {
  const [port, inner, data] = [await findPort(), await findPort(), temporaryFolder(kind)];
  const own = { ...environment };
  if (setUp) {
    own.SETUP = temporaryFolder(`${kind}-set-up`);
    // Some give up being root before they read it.
    chmodSync(own.SETUP, 0o755);
    for (const [name, text] of setUp)
      writeFileSync(join(own.SETUP, name), toLocal(text, { port, inner, origin, data, setUp: own.SETUP }));
  }
  const env = { ...process.env, ...own, PURGE_TOKEN: TOKEN };
  // Before it starts: one that does not answer is stopped as well.
  stopAtEnd(() => execFileSync(join(SCRIPTS, `stop-${kind}.sh`), [data], { stdio: "ignore" }));
  execFileSync(join(SCRIPTS, `start-${kind}.sh`), [String(port), origin, data], { env, stdio: "ignore" });
  return `http://127.0.0.1:${port}`;
}

/** A documented file with what everybody puts in for themselves: addresses, ports, the token, and where files lie. */
const toLocal = (
  text: string,
  own: { port: number; inner: number; origin: string; data: string; setUp: string },
): string =>
  text
    .replaceAll("the-token", TOKEN)
    .replaceAll("10.0.0.9", "127.0.0.1")
    .replaceAll("10.0.0.0", "127.0.0.0")
    .replaceAll("8080", new URL(own.origin).port)
    .replaceAll("6082", String(own.inner))
    .replace(/(listen|http_port) 6081/, `$1 127.0.0.1:${own.port}`)
    .replace("STRING 6081", `STRING ${own.port}:ip-in=127.0.0.1`)
    .replaceAll("6081", String(own.port))
    .replaceAll("/var/cache/nginx", own.data)
    .replaceAll("/etc/squid", own.setUp);

/** What `docs/caches.md` says under a heading: its files by name, and what the settings say of such an edge. */
export function readSetUp(title: string): {
  readonly setUp: ReadonlyMap<string, string>;
  readonly settings: string;
} {
  const page = readFileSync("docs/caches.md", "utf8");
  const [, section = ""] = new RegExp(`^## ${title}$(.*?)(?=^## )`, "ms").exec(page) ?? [];
  const setUp = new Map<string, string>();
  let settings = "";
  for (const [, path = "", text = ""] of section.matchAll(/^```\w+ (\S+)\n(.*?)^```$/gms))
    if (path === "courier.yaml") settings = /token: "[^"]*", (.*) \}/.exec(text)?.[1] ?? "";
    else setUp.set(basename(path), text);
  if (setUp.size === 0 || settings === "") throw new Error(`docs/caches.md sets up no ${title}`);
  return { setUp, settings };
}

/** Six forms that the tool's list has, and two that it has not. */
export const EIGHT = ["gzip, deflate, br, zstd", "gzip, deflate, br", "gzip, deflate", "gzip", "br", "", "compress", "gzip, br;q=0.4"]; // prettier-ignore
/** Seconds that a fetch is under way, of which the settings say nothing. */
const FLIGHT = Number(process.env.COURIER_FLIGHT ?? 2);
const LONGEST = FLIGHT > 10 ? "" : `, longestFetch: ${FLIGHT + 2}s`;
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
  readonly setUp?: ReadonlyMap<string, string>;
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
  const { kind, environment, setUp, varies, edge, queries = [""] } = flight;
  const folder = temporaryFolder("web-root");
  const [one, two] = [writePages("one"), writePages("two")];
  const root = new WebRoot(folder, varies);
  const origin = await root.start();
  stopAtEnd(() => {
    root.stop();
  });
  const node = await startCache(kind, origin, environment, setUp);
  const { host } = new URL(node);
  const toSettings = (confirm: string): string =>
    `site: Pelican Sound Ferries\nbuild: { folder: ${one} }\ndestinations:\n  web:\n    url: ${node}\n    store: { kind: folder, folder: ${folder} }\n    edge: { kind: purge, url: "${node}", token: ${TOKEN}, settle: 1s${confirm}, ${edge} }\n`;
  const keys = { accessKeyId: "none", secretAccessKey: "none" };
  await new Project(toSettings(", confirm: off"), keys).run(["deliver"]);
  const project = new Project(toSettings(LONGEST), keys);
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

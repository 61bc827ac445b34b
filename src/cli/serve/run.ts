import type { Server } from "node:http";
import type { AddressInfo } from "node:net";
import { hostname, networkInterfaces } from "node:os";
import { isIP } from "node:net";
import { findDifferences, listEdgeHeaders } from "../../core/answers/differences.ts";
import { OperatorError } from "../../core/model/failure.ts";
import type { BuildSource } from "../../ports/build-source.ts";
import { createCertificate } from "../../serving/certificate.ts";
import { LiveSite, type ServedBuild } from "../../serving/live-site.ts";
import { isOwnName } from "../../serving/own-names.ts";
import { Reloader } from "../../serving/reload.ts";
import { createSiteServer, type SiteServerOptions } from "../../serving/site-server.ts";
import type { GeneralTarget } from "../../settings/target.ts";
import type { ExitCode } from "../../words/exits.ts";
import { isSet, text, type Arguments } from "../frame/command.ts";
import { waitForStop } from "../frame/signals.ts";
import { toCall } from "../frame/session.ts";
import type { Terminal } from "../frame/terminal.ts";
import { keepCertificate, type KeptCertificate } from "../../wiring/kept-certificate.ts";
import { openBuildOf, readGeneral, wiredClock } from "../../wiring/wiring.ts";
import {
  showEvent,
  showHalfWritten,
  showMissing,
  showReload,
  showRequest,
  showServed,
  type ServedSite,
} from "./show.ts";

/** Serves the build until somebody stops it. */
export async function serveBuild(args: Arguments, terminal: Terminal): Promise<ExitCode> {
  const port = readPort(args);
  const target = readGeneral(toCall(args, terminal));
  const { folder, source } = await openBuildOf(target, toCall(args, terminal));
  try {
    const say = (line: string): void => {
      terminal.say(`${terminal.styleSaid("faint", wiredClock.now().toTimeString().slice(0, 8))}  ${line}\n`);
    };
    const site = new LiveSite(source, {
      ...{ rules: target.siteRules, clock: wiredClock },
      tell: (event) => {
        say(showEvent(event));
      },
    });
    const build = await site.open();
    const { server, stop } = await createServer({ args, terminal, target, source, site, say });
    await listen(server, port, hostOf(args));
    terminal.print(showServed(describe(server, { args, target, folder, build }), terminal));
    await waitForStop();
    stop();
    await shut(server);
    return 0;
  } finally {
    source.close();
  }
}

const hostOf = (args: Arguments): string => text(args, "host") ?? "127.0.0.1";

function readPort(args: Arguments): number {
  const value = text(args, "port") ?? "0";
  if (/^\d{1,5}$/.test(value) && Number(value) <= 65_535) return Number(value);
  throw new OperatorError("usage", {
    reason: `--port must be a number up to 65535, not ${value}`,
    command: "serve",
  });
}

interface Serving {
  readonly args: Arguments;
  readonly terminal: Terminal;
  readonly target: GeneralTarget;
  readonly source: BuildSource;
  readonly site: LiveSite;
  readonly say: (line: string) => void;
}

async function createServer(
  serving: Serving,
): Promise<{ readonly server: Server; readonly stop: () => void }> {
  const { args, terminal, target, source, site, say } = serving;
  const reloader = isSet(args, "reload")
    ? new Reloader(site, wiredClock, (browsers) => {
        say(showReload(browsers));
      })
    : undefined;
  const isVerbose = isSet(args, "verbose");
  const host = hostOf(args);
  const options: SiteServerOptions = {
    ...{ site, source, reloader },
    certificate: isSet(args, "https") ? await createOwnCertificate(args, terminal) : undefined,
    edgeHeaders: listEdgeHeaders({ ...target.siteRules.endpoint.edge?.headers, ...target.expectedHeaders }),
    compresses: compresses(target),
    isOurs: (name) => isOwnName(name) || (!isNear(host) && isOfThisMachine(name ?? "", host)),
    basePath: target.siteRules.addressRules.basePath,
    texts: {
      halfWritten: () => `${showHalfWritten(site.halfWritten)}\n`,
      missing: (path) => `${showMissing(path)}\n`,
      outside: (basePath) => `this site begins at ${basePath}\n`,
    },
    note: (request) => {
      if (isVerbose || request.status >= 400) say(showRequest(request));
    },
  };
  return { server: createSiteServer(options), stop: () => reloader?.stop() };
}

/** A store by itself sends what it has; whatever stands before it is taken to compress. */
const compresses = ({ edges, store }: GeneralTarget): boolean => edges.length > 0 || store.kind === "folder";

const isNear = (host: string): boolean => /^(127\.|::1$|localhost$)/.test(host);

/** What others in the network may call this machine. */
function isOfThisMachine(name: string, host: string): boolean {
  const plain = name
    .replace(/:\d+$/, "")
    .replace(/^\[|\]$/g, "")
    .toLowerCase();
  const own = hostname().toLowerCase();
  return isIP(plain) !== 0 || [host.toLowerCase(), own, `${own}.local`].includes(plain);
}

const CERTIFICATE_MS = 90 * 86_400_000;

function createOwnCertificate(args: Arguments, terminal: Terminal): Promise<KeptCertificate> {
  const host = hostOf(args);
  const others = isNear(host) ? [] : [...listNetworkAddresses(host), hostname()];
  const names = ["localhost", "127.0.0.1", "::1", ...others];
  return keepCertificate(names, toCall(args, terminal), async () => {
    const fromMs = wiredClock.now().getTime();
    const untilMs = fromMs + CERTIFICATE_MS;
    // A key that lies in a folder must not be good for signing other names.
    return { ...(await createCertificate({ names, fromMs, untilMs, isAuthority: false })), untilMs };
  });
}

/** Where others in the network reach what listens there. */
function listNetworkAddresses(host: string): string[] {
  if (host !== "0.0.0.0" && host !== "::") return [host];
  return Object.values(networkInterfaces())
    .flatMap((list) => list ?? [])
    .filter(({ internal, family }) => !internal && family === "IPv4")
    .map(({ address }) => address);
}

interface ServedFacts {
  readonly args: Arguments;
  readonly target: GeneralTarget;
  readonly folder: string;
  readonly build: ServedBuild;
}

function describe(server: Server, { args, target, folder, build }: ServedFacts): ServedSite {
  const { port } = server.address() as AddressInfo;
  const host = hostOf(args);
  const { siteRules, destination, edges, expectedHeaders } = target;
  const scheme = isSet(args, "https") ? "https" : "http";
  const { basePath } = siteRules.addressRules;
  const isOpen = host === "0.0.0.0" || host === "::";
  const toAddress = (name: string): string =>
    `${scheme}://${name.includes(":") ? `[${name}]` : name}:${port}${basePath}`;
  return {
    address: toAddress(isOpen ? "127.0.0.1" : host),
    others: isOpen ? listNetworkAddresses(host).map(toAddress) : [],
    isNear: isNear(host),
    ...{ folder, destination },
    files: build.analysis.wanted.parcels.filter(
      ({ aliasOf, redirectsTo }) => (aliasOf ?? redirectsTo) === undefined,
    ).length,
    problems: build.analysis.findings.problems,
    differences: findDifferences({
      ...{ rules: siteRules, references: build.analysis.findings.graph.references },
      expectedHeaders: { ...siteRules.endpoint.edge?.headers, ...expectedHeaders },
      ...{ hasEdge: destination !== undefined && edges.length > 0, speaksTls: scheme === "https" },
      ...{ isNear: isNear(host), reloads: isSet(args, "reload") },
    }),
    isOwnCertificate: scheme === "https",
  };
}

/** Throws `port-taken`, `cannot-listen`. */
function listen(server: Server, port: number, host: string): Promise<void> {
  return new Promise((resolve, reject) => {
    server.once("error", (error: NodeJS.ErrnoException) => {
      const { code: cause = error.message } = error;
      reject(
        cause === "EADDRINUSE"
          ? new OperatorError("port-taken", { port }, {}, error)
          : new OperatorError("cannot-listen", { host, port, cause }, {}, error),
      );
    });
    server.listen(port, host, resolve);
  });
}

function shut(server: Server): Promise<void> {
  return new Promise((resolve) => {
    server.close(() => {
      resolve();
    });
    server.closeAllConnections();
  });
}

import { existsSync, mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { basename, join, resolve } from "node:path";
import { isIP } from "node:net";
import { OperatorError } from "../../core/model/failure.ts";
import { PRINTABLE, type PrintedSetupResult } from "../../results/printed-setup.ts";
import { assertMade } from "../../settings/destination.ts";
import { explainStoreError } from "../../wiring/explain-store.ts";
import { findCache, toCacheSetup, type CacheSetupOptions } from "../../settings/cache-setup.ts";
import type { Target } from "../../settings/target.ts";
import { toDuties } from "../../words/setups/duties.ts";
import { isCacheKind, LEFT, toCacheFiles } from "../../words/setups/print-cache.ts";
import { toRecords, type NameLeadsTo } from "../../words/setups/records.ts";
import type { ExitCode } from "../../words/exits.ts";
import { isSet, list, text, type Arguments } from "../frame/command.ts";
import { printResult } from "../frame/output.ts";
import { toCall } from "../frame/session.ts";
import type { Terminal } from "../frame/terminal.ts";
import { readDomain } from "../../wiring/provisioned-edge.ts";
import { readUnmade } from "../../wiring/wiring.ts";
import { showPrint } from "./show-print.ts";

type Part = Pick<PrintedSetupResult, "files" | "settings" | "records" | "duties" | "left">;
const NOTHING: Part = { files: [], settings: [], records: [], duties: [], left: [] };

/** `provision --print`: what a person sets up. Changes nothing. @returns the exit code */
export async function printSetup(args: Arguments, terminal: Terminal): Promise<ExitCode> {
  const asked = text(args, "print");
  const kind = PRINTABLE.find((one) => one === asked);
  if (kind === undefined)
    throw usage(`--print must be one of ${PRINTABLE.join(", ")}, not ${asked ?? "nothing"}`);
  const target = readUnmade(toCall(args, terminal));
  const options = toOptions(args, terminal);
  const part = isCacheKind(kind)
    ? toCachePart(target, kind, options)
    : kind === "headers"
      ? toDutyPart(target, options)
      : await toRecordPart(target, terminal);
  const { site, destination } = target;
  const result: PrintedSetupResult = { site, destination, print: kind, ...NOTHING, ...part };
  const into = text(args, "into");
  if (into !== undefined) writeFiles(result, resolve(terminal.folder, into), isSet(args, "yes"));
  printResult(args, terminal, { "printed-setup": result }, () => showPrint(result, terminal));
  return 0;
}

const usage = (reason: string): OperatorError => new OperatorError("usage", { reason, command: "provision" });

function toOptions(args: Arguments, { environment }: Terminal): CacheSetupOptions {
  const said = text(args, "origin");
  if (said !== undefined && (!/^https?:\/\//.test(said) || !URL.canParse(said)))
    throw usage(`--origin must be an address such as http://10.0.0.9:8080, not ${said}`);
  const from = list(args, "purge-from");
  for (const network of from) if (!isNetwork(network)) throw usage(`--purge-from must be a network such as 10.0.0.0/24, not ${network}`); // prettier-ignore
  const { AWS_REGION: usual = "", AWS_DEFAULT_REGION: other = "" } = environment;
  return {
    origin: said === undefined ? undefined : new URL(said),
    from,
    region: [usual, other].find((one) => one !== ""),
  };
}

function isNetwork(text: string): boolean {
  const [address = "", bits, ...rest] = text.split("/");
  const kind = isIP(address);
  return kind !== 0 && rest.length === 0 && (bits === undefined || (/^\d{1,3}$/.test(bits) && Number(bits) <= (kind === 4 ? 32 : 128))); // prettier-ignore
}

function toCachePart(
  target: Target,
  kind: Parameters<typeof toCacheFiles>[0],
  options: CacheSetupOptions,
): Partial<Part> {
  const edge = findCache(target);
  const setup = toCacheSetup(target, edge, withRegion(target, options));
  if (kind !== "varnish" && edge.patterns !== "none")
    throw usage(`${kind} takes no wildcards: say patterns: none of this edge, or take varnish`);
  if (kind === "varnish" && setup.origin.protocol === "https")
    throw usage(
      `varnish asks its origin by plain http only, and ${setup.origin.host} is read by https: put something between them that speaks both, and say --origin http://HOST:PORT`,
    );
  const { url } = target.siteRules;
  const { files, left } = toCacheFiles(kind, setup, url === undefined ? undefined : new URL(url).hostname);
  const settings = [
    ...(edge.query === undefined ? ["query: ignored"] : []),
    ...(edge.minimumFreshness === 0 ? [] : ["minimumFreshness: 0s"]),
    ...(edge.negative === 0 ? [] : ["negative: 0s"]),
  ];
  return { files: [...files], settings, left: left.map((one) => LEFT[one]) };
}

const withRegion = ({ store }: Target, options: CacheSetupOptions): CacheSetupOptions => ({
  ...options,
  region: store.kind === "s3" ? (store.region ?? options.region) : undefined,
});

function toDutyPart(target: Target, options: CacheSetupOptions): Partial<Part> {
  const [first] = target.edges;
  const { query, longestFetch } = first ?? { query: undefined, longestFetch: 20 };
  const edge = {
    header: "",
    patterns: "none",
    query,
    longestFetch,
    url: undefined,
    nodes: undefined,
  } as const;
  return { duties: toDuties(toCacheSetup(target, edge, withRegion(target, options))) };
}

async function toRecordPart(target: Target, terminal: Terminal): Promise<Partial<Part>> {
  const { url } = target.siteRules;
  if (url === undefined) throw usage(`${target.destination} has no url: which name is it to have?`);
  const { hostname, protocol } = new URL(url);
  const host = hostname.replace(/[[\]]/g, "");
  if (isIP(host) !== 0 || host === "localhost")
    throw usage(`${url} is no name: visitors find it without a record`);
  const [, previews] = /^https?:\/\/([^/:]*\{name\}[^/:]*)/.exec(target.previews?.address ?? "") ?? [];
  assertMade(target);
  const leadsTo = await findPlace(target, terminal).catch((error: unknown) => {
    throw explainStoreError(error, { endpoint: "", bucket: "" }, 0);
  });
  return toPlain(toRecords({ host, previews: previews?.replace(/[^.]*\{name\}[^.]*/, "*"), leadsTo, isSecure: protocol === "https:" })); // prettier-ignore
}

const toPlain = ({ records, left }: ReturnType<typeof toRecords>): Partial<Part> => ({ records: [...records], left: [...left] }); // prettier-ignore

/** Where visitors come in: the outermost edge. */
async function findPlace({ edges, ...target }: Target, terminal: Terminal): Promise<NameLeadsTo> {
  const outer = edges.at(-1);
  if (outer?.kind === "distribution")
    return { kind: "name", name: await readDomain({ ...target, edges }, outer, terminal) };
  const places = outer?.kind === "purge" ? (outer.nodes ?? (outer.url === undefined ? [] : [outer.url])) : [];
  const hosts = [...new Set(places.map((place) => new URL(place).hostname.replace(/[[\]]/g, "")))];
  const addresses = hosts.filter((one) => isIP(one) !== 0);
  if (addresses.length > 0) return { kind: "addresses", addresses };
  const [name] = hosts;
  return name === undefined ? { kind: "unknown" } : { kind: "name", name };
}

/** Each file under its own name; one that somebody has changed is not overwritten unasked. */
function writeFiles({ files, print }: PrintedSetupResult, folder: string, overwrites: boolean): void {
  if (files.length === 0) throw usage(`--into: ${print} has no files`);
  const all = files.map(({ path, text: content }) => ({ path: join(folder, basename(path)), content }));
  const other = all.find(({ path, content }) => existsSync(path) && readFileSync(path, "utf8") !== content);
  if (other && !overwrites)
    throw usage(`--into: ${other.path} is there and says something else; --yes overwrites it`);
  mkdirSync(folder, { recursive: true });
  for (const { path, content } of all) writeFileSync(path, content);
}

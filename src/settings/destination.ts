import { resolve } from "node:path";
import type { ReadBackBudget } from "../core/model/edge.ts";
import { byText } from "../core/model/names.ts";
import { toBasePath } from "../core/addresses/addresses.ts";
import { needsPages } from "../core/edge-rules/content-policy.ts";
import type { EdgeMeans } from "../core/model/edge-rules.ts";
import { toEdgeMeans } from "./edge-wishes.ts";
import type { SiteRules } from "../core/build/site-rules.ts";
import { OperatorError } from "../core/model/failure.ts";
import type { Mistake } from "../core/model/mistake.ts";
import type { HeaderRules } from "../core/build/headers.ts";
import type { Readers } from "../core/bucket/policies.ts";
import { toPreview, toPreviewRules } from "./preview.ts";
import type { GeneralTarget, NamedEdgeSettings, Target } from "./target.ts";
import { toInvalid, type LoadedSettings, type ParsedSettings } from "./load.ts";
import {
  destinationSchema,
  type DestinationSettings,
  type EdgeSettings,
  type Settings,
  type StoreSettings,
} from "./schema.ts";

/** Ids of the edges that are distributions. */
export const distributionsOf = ({ edges }: Pick<Target, "edges">): string[] =>
  edges.flatMap((edge) => (edge.kind === "distribution" ? [edge.id] : []));

/** Throws `edge-unmade` where a distribution of the settings is not made yet. */
export function assertMade({ edges, destination }: Pick<Target, "edges" | "destination">): void {
  const unmade = edges.find((edge) => edge.kind === "distribution" && edge.id === "");
  if (unmade) throw new OperatorError("edge-unmade", { destination, name: unmade.name });
}

/** Options that override the settings. */
export interface TargetOptions {
  readonly to?: string | undefined;
  readonly build?: string | undefined;
  /** A preview of that destination. */
  readonly preview?: string | undefined;
}

/** The destination that the call names or that is the only one; else what holds for all. Throws as `chooseTarget` does. */
export function chooseGeneral(
  loaded: LoadedSettings,
  options: TargetOptions,
  workingFolder: string,
): GeneralTarget {
  if (options.to !== undefined || findDefault(loaded.settings) !== undefined)
    return chooseTarget(loaded, options, workingFolder);
  const destinations = { general: toPlainDestination() };
  const general = { ...loaded, settings: { ...loaded.settings, destinations } };
  return { ...chooseTarget(general, options, workingFolder), destination: undefined };
}

/** A destination that adds nothing to the general rules, at the root of its site. */
const toPlainDestination = (): DestinationSettings =>
  destinationSchema.parse({
    store: { kind: "s3", bucket: "none" },
    edge: { kind: "purge", url: "http://localhost", query: "ignored" },
  });

/**
 * Chooses the destination and puts everything together. Throws `destination-unknown`, `destination-unclear`,
 * `settings-later`, `settings-invalid`, `no-previews`.
 */
export function chooseTarget(
  { settings, folder, locate }: LoadedSettings,
  options: TargetOptions,
  workingFolder: string,
): Target {
  const name = chooseDestination(settings, options.to);
  const destination = settings.destinations[name] as DestinationSettings;
  refuseWhatComesLater(destination);
  const edges = nameEdges(destination);
  refuseNowhere(destination, name, locate);
  const { build } = settings;
  const { store, retain, guards, hold, expect } = destination;
  const previews = toPreviewRules(name, destination, { settings, folder, locate });
  const place = { prefix: store.kind === "s3" ? store.prefix : "", basePath: toBasePath(destination.url) };
  const target: Target = {
    ...{ site: settings.site, destination: name, projectFolder: folder, edges, locate },
    buildFolder:
      options.build === undefined
        ? build.folder && resolve(folder, build.folder)
        : resolve(workingFolder, options.build),
    siteRules: toRules(settings, destination, { edges, edge: toEdgeMeans(edges, previews, place) }),
    added: destination.files.map(({ from, as }) => ({ from: resolve(folder, from), as })),
    store: store.kind === "folder" ? { ...store, folder: resolve(folder, store.folder) } : store,
    readers: decideReaders(store, edges),
    safety: {
      ask: destination.ask,
      retention: { releases: retain.releases, forSeconds: retain.for },
      vanishShare: guards.vanish,
      leaseSeconds: hold.lease,
    },
    expectedHeaders: expect?.headers ?? {},
    previews,
  };
  return options.preview === undefined ? target : toPreview(target, options.preview);
}

function toRules(
  settings: Settings,
  { url, exclude, freshness, headers, store, noIndex }: DestinationSettings,
  { edges, edge }: { readonly edges: readonly NamedEdgeSettings[]; readonly edge?: EdgeMeans | undefined },
): SiteRules {
  const { entry, notFound, clientRoutes, retireWorkers, exclude: everywhere } = settings.build;
  const isBucket = store.kind === "s3";
  return {
    ...{ entry, notFound, clientRoutes, retireWorkers, url, noIndex, compression: settings.compression },
    needsPages: needsPages(edge?.headers ?? {}),
    exclude: [...everywhere, ...exclude],
    headers: {
      freshness: [...settings.freshness, ...freshness],
      types: settings.types,
      headers: [...settings.headers, ...headers],
      edgeCanForget: edges.length > 0,
      askedAnew: decideAskedAnew(edges, clientRoutes),
    },
    addressRules: {
      forms: settings.addresses.pages ?? ["file", "folder"],
      basePath: toBasePath(url),
      indexName: entry.slice(entry.lastIndexOf("/") + 1),
    },
    redirects: settings.redirects,
    endpoint: {
      serves: isBucket ? store.serves : "website",
      carriesRedirects: isBucket,
      plainNames: isBucket ? false : process.platform === "win32" ? "windows" : "posix",
      ownsWebsite: isBucket && store.ownsWebsite,
      ...(edge && isBucket && { edge }),
      bucketPrefix: isBucket ? store.prefix : "",
    },
  };
}

/** The build of a destination. Throws `usage` where nobody says which it is. */
export function buildFolderOf({ buildFolder }: Pick<Target, "buildFolder">): string {
  if (buildFolder !== undefined) return buildFolder;
  throw new OperatorError("usage", {
    reason: "which folder is the build? The settings have no build.folder",
    command: "deliver",
  });
}

/** A website endpoint knows no identities; a distribution that reads exact keys has one, and then nobody else need read. */
function decideReaders(store: StoreSettings, edges: readonly NamedEdgeSettings[]): Readers {
  if (store.kind === "folder") return "public";
  const isSigned = edges[0]?.kind === "distribution" && store.serves === "objects";
  return store.readers ?? (isSigned ? "edge-only" : "public");
}

function chooseDestination({ destinations }: Settings, asked: string | undefined): string {
  const names = Object.keys(destinations);
  const shown = names.join(", ");
  if (asked !== undefined) {
    if (!names.includes(asked)) throw new OperatorError("destination-unknown", { name: asked, names: shown });
    return asked;
  }
  const only = findDefault({ destinations });
  if (only === undefined) throw new OperatorError("destination-unclear", { names: shown });
  return only;
}

/** The destination that is meant where the call names none; undefined: none is, or several are. */
function findDefault({ destinations }: Pick<Settings, "destinations">): string | undefined {
  const names = Object.keys(destinations);
  const defaults = names.filter((name) => destinations[name]?.default === true);
  const [only] = names.length === 1 ? names : defaults;
  return defaults.length > 1 ? undefined : only;
}

/** What edges can't be asked to forget under all addresses that visitors make up is not to be held there. */
function decideAskedAnew(
  edges: readonly NamedEdgeSettings[],
  clientRoutes: boolean,
): NonNullable<HeaderRules["askedAnew"]> {
  const deaf = edges.find((edge) => edge.query !== "ignored" && !reachesQueries(edge));
  const queries = deaf && ({ code: "queries", edge: deaf.name } as const);
  return {
    ...(queries === undefined ? {} : { page: queries, entry: queries }),
    ...(clientRoutes && edges.length > 0 ? { entry: { code: "unknown-addresses" } as const } : {}),
  };
}

const reachesQueries = (edge: NamedEdgeSettings): boolean =>
  edge.kind === "distribution" ? edge.wildcard !== "none" && edge.wildcards > 0 : edge.patterns !== "none";

/** A cache that is to be purged needs an address, and a distribution that nobody makes needs its id. */
function refuseNowhere(
  { edge, url }: DestinationSettings,
  name: string,
  locate: ParsedSettings["locate"],
): void {
  const first = [edge].flat().find(({ kind }) => kind !== "none");
  const lost = [edge].flat().flatMap((one, index) => {
    const path = ["destinations", name, "edge", ...(Array.isArray(edge) ? [index] : [])];
    const toLost = (what: string): Mistake[] => [{ path, what, place: locate(path) }];
    if (one.kind === "distribution" && one.id === undefined && one !== first)
      return toLost("say its id: only the edge that stands before the store can be made by provision");
    if (one.kind === "request" && (one.url ?? url) === undefined)
      return toLost("which addresses is it asked for? Say the destination's url");
    if (one.kind !== "purge" || (one.url ?? one.nodes ?? url) !== undefined) return [];
    return toLost("where is it? Say url or nodes");
  });
  if (lost.length > 0) throw toInvalid(lost);
}

function nameEdges(destination: DestinationSettings): NamedEdgeSettings[] {
  const edges = Array.isArray(destination.edge) ? destination.edge : [destination.edge];
  return edges
    .filter((edge) => edge.kind !== "none")
    .map((edge, index) => ({
      ...(edge.kind === "distribution" ? { ...edge, id: edge.id ?? "" } : edge),
      name: edge.name ?? (edges.length === 1 ? edge.kind : `${edge.kind}-${index + 1}`),
      identity: edge.name ?? toIdentity(edge, destination.url),
      confirmation: {
        ...{ settle: edge.settle, longestFetch: edge.longestFetch, rewrites: destination.rewrites },
        readBack: toBudget(edge.confirm),
      },
    }));
}

/** What is owed is looked up by this: it stays the same when another edge is added, and changes with what it stands for. */
function toIdentity(edge: Exclude<EdgeSettings, { kind: "none" }>, url: string | undefined): string {
  if (edge.kind === "distribution") return `distribution ${edge.id ?? ""}`;
  // What stands behind may be a secret; what is written down in the bucket must not be.
  if (edge.kind === "request") return `request ${edge.endpoint.replace(/[?{].*$/s, "")}`;
  const places = [...(edge.nodes ?? [edge.url ?? url ?? ""])].sort(byText);
  return `purge ${edge.host ?? ""} ${places.join(" ")}`.replace(/\s+/g, " ");
}

/** Reading back takes a minute at most where nobody has said anything. */
const READ_BACK_SECONDS = 60;

function toBudget(confirm: string | undefined): ReadBackBudget {
  if (confirm === undefined) return { kind: "time", seconds: READ_BACK_SECONDS };
  if (confirm === "all" || confirm === "off") return { kind: confirm };
  return { kind: "most", addresses: Number.parseInt(confirm, 10) };
}

/** What the settings can say and this version can't do: said by name, never passed over. */
function refuseWhatComesLater(destination: DestinationSettings): void {
  const later: readonly (readonly [boolean, string, string])[] = [
    [destination.state !== undefined, "a state part in a bucket of its own", "state"],
    [
      destination.store.kind === "s3" &&
        (destination.store.acl ?? destination.store.encryption) !== undefined,
      "access lists and encryption of objects",
      "store.acl, store.encryption",
    ],
  ];
  const [first] = later.filter(([present]) => present);
  if (first) throw new OperatorError("settings-later", { what: first[1], where: first[2] });
}

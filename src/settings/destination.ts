import { resolve } from "node:path";
import { toBasePath, type AddressRules } from "../core/addresses/addresses.ts";
import type { Serves } from "../core/addresses/aliases.ts";
import { OperatorError } from "../core/model/failure.ts";
import type { HeaderRules } from "../core/build/headers.ts";
import type { Readers } from "../core/bucket/policies.ts";
import type { RedirectRule } from "../core/addresses/redirects.ts";
import type { RetentionRule } from "../core/history/retention.ts";
import type { LoadedSettings } from "./load.ts";
import type { DestinationSettings, EdgeSettings, Settings, StoreSettings } from "./schema.ts";

/** Everything that one delivery needs to know, out of settings, options and defaults: nothing below asks any further. */
export interface Target {
  readonly site: string;
  readonly destination: string;
  readonly buildFolder: string;
  /** Where the settings are, and the project with them. */
  readonly projectFolder: string;
  readonly entry: string;
  /** Absent: `404.html` if the build has it. */
  readonly notFound?: string | undefined;
  readonly clientRoutes: boolean;
  /** What the endpoint that the edge reads from resolves by itself. */
  readonly serves: Serves;
  readonly exclude: readonly string[];
  readonly rules: HeaderRules;
  readonly addresses: AddressRules;
  readonly redirects: readonly RedirectRule[];
  /** Whether an object can send visitors elsewhere. */
  readonly carriesRedirects: boolean;
  /** Whether names must be such as a file system can hold. */
  readonly plainNames: boolean;
  /** Whether the bucket's website settings are this site's alone to write. */
  readonly ownsWebsite: boolean;
  /** What stands before keys in the bucket. */
  readonly bucketPrefix: string;
  readonly compression: "off" | "gzip";
  readonly store: StoreSettings;
  /** From the store outwards; none: an empty list. */
  readonly edges: readonly NamedEdgeSettings[];
  /** Ids of the edges that are distributions. */
  readonly distributions: readonly string[];
  /** Who is to read the site from the store. */
  readonly readers: Readers;
  readonly url?: string | undefined;
  /** Headers that every answer must have; `*`: any value. */
  readonly expectedHeaders: Readonly<Record<string, string>>;
  readonly ask: boolean;
  readonly retention: RetentionRule;
  readonly vanishShare: number;
  /** How long a hold lasts that nobody renews. */
  readonly leaseSeconds: number;
}

export type NamedEdgeSettings = Exclude<EdgeSettings, { kind: "none" }> & { readonly name: string };

/** Options that override the settings. */
export interface TargetOptions {
  readonly to?: string | undefined;
  readonly build?: string | undefined;
}

/** Chooses the destination and puts everything together. Throws `destination-unknown`, `destination-unclear`, `usage`. */
export function chooseTarget(
  { settings, folder }: LoadedSettings,
  options: TargetOptions,
  workingFolder: string,
): Target {
  const name = chooseDestination(settings, options.to);
  const destination = settings.destinations[name] as DestinationSettings;
  refuseWhatComesLater(destination);
  const edges = nameEdges(destination);
  refuseNowhere(edges, name, destination.url);
  const { build } = settings;
  const folderName =
    options.build === undefined
      ? build.folder && resolve(folder, build.folder)
      : resolve(workingFolder, options.build);
  if (folderName === undefined)
    throw new OperatorError("usage", {
      reason: "which folder is the build? The settings have no build.folder",
      command: "deliver",
    });
  return {
    site: settings.site,
    destination: name,
    buildFolder: folderName,
    projectFolder: folder,
    entry: build.entry,
    notFound: build.notFound,
    clientRoutes: build.clientRoutes,
    serves: destination.store.kind === "s3" ? destination.store.serves : "website",
    exclude: [...build.exclude, ...destination.exclude],
    rules: {
      freshness: [...settings.freshness, ...destination.freshness],
      types: settings.types,
      headers: [...settings.headers, ...destination.headers],
      edgeCanForget: edges.length > 0,
      askedAnew: decideAskedAnew(edges, build.clientRoutes),
    },
    addresses: {
      forms: settings.addresses.pages ?? ["file", "folder"],
      basePath: toBasePath(destination.url),
      indexName: build.entry.slice(build.entry.lastIndexOf("/") + 1),
    },
    redirects: settings.redirects,
    carriesRedirects: destination.store.kind === "s3",
    plainNames: destination.store.kind === "folder",
    ownsWebsite: destination.store.kind === "s3" && destination.store.ownsWebsite,
    bucketPrefix: destination.store.kind === "s3" ? destination.store.prefix : "",
    compression: settings.compression,
    store:
      destination.store.kind === "folder"
        ? { ...destination.store, folder: resolve(folder, destination.store.folder) }
        : destination.store,
    edges,
    distributions: edges.flatMap((edge) => (edge.kind === "distribution" ? [edge.id] : [])),
    readers: decideReaders(destination.store, edges),
    url: destination.url,
    expectedHeaders: destination.expect?.headers ?? {},
    ask: destination.ask,
    retention: { releases: destination.retain.releases, forSeconds: destination.retain.for },
    vanishShare: destination.guards.vanish,
    leaseSeconds: destination.hold.lease,
  };
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
  const defaults = names.filter((name) => destinations[name]?.default === true);
  const [only] = names.length === 1 ? names : defaults;
  if (only === undefined || defaults.length > 1)
    throw new OperatorError("destination-unclear", { names: shown });
  return only;
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

/** A cache that is to be purged needs an address. */
function refuseNowhere(edges: readonly NamedEdgeSettings[], name: string, url: string | undefined): void {
  const lost = edges.find((edge) => edge.kind === "purge" && (edge.url ?? edge.nodes ?? url) === undefined);
  if (lost)
    throw new OperatorError("settings-invalid", {
      problems: `  destinations.${name}.edge ${lost.name}: say where it is: url or nodes`,
    });
}

function nameEdges(destination: DestinationSettings): NamedEdgeSettings[] {
  const edges = Array.isArray(destination.edge) ? destination.edge : [destination.edge];
  return edges
    .filter((edge) => edge.kind !== "none")
    .map((edge, index) => ({
      ...edge,
      name: edge.name ?? (edges.length === 1 ? edge.kind : `${edge.kind}-${index + 1}`),
    }));
}

/** What the settings can say and this version can't do: said by name, never passed over. */
function refuseWhatComesLater(destination: DestinationSettings): void {
  const later: readonly (readonly [boolean, string, string])[] = [
    [destination.state !== undefined, "a state part in a bucket of its own", "state"],
    [destination.noIndex, "keeping search engines out", "noIndex"],
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

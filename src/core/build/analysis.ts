import type { AddressRules } from "../addresses/addresses.ts";
import { decideAliases, type Serves } from "../addresses/aliases.ts";
import { recordedByKey } from "../compare/standing.ts";
import type { DestinationState } from "../model/release.ts";
import { decideParcels, type Build, type ExplainedParcel, type ParcelRules } from "./parcels.ts";
import { findBuildProblems } from "./build-check.ts";
import { findFileNameProblems, findNameProblems } from "./names-check.ts";
import { byText } from "../model/names.ts";
import type { Role } from "../model/parcel.ts";
import type { RoutingRule } from "../model/website.ts";
import { SEVERITIES, type Problem } from "../model/problem.ts";
import {
  buildReferenceGraph,
  findReferenceProblems,
  selectLoadedByPages,
  type ReferenceGraph,
} from "./reference-graph.ts";
import { decideRedirects, followRedirect, type RedirectRule } from "../addresses/redirects.ts";
import type { EarlierFile } from "./roles.ts";

export interface AnalysisRules extends Omit<ParcelRules, "earlier"> {
  readonly addresses: AddressRules;
  /** The public address of the destination. */
  readonly url?: string | undefined;
  readonly clientRoutes: boolean;
  readonly serves: Serves;
  readonly redirects: readonly RedirectRule[];
  readonly carriesRedirects: boolean;
  /** Whether names must be such as a file system can hold. */
  readonly plainNames: boolean;
  readonly ownsWebsite: boolean;
  readonly bucketPrefix: string;
}

/** A build, known completely: what each file is and gets, who names whom, and what is wrong with it. */
export interface Analysis {
  readonly parcels: readonly ExplainedParcel[];
  readonly graph: ReferenceGraph;
  /** Rules that the website endpoint is to have. */
  readonly routing: readonly RoutingRule[];
  /** By severity, then by path and line. */
  readonly problems: readonly Problem[];
}

/** Analyses a build; what is recorded of the destination counts as evidence. */
export function analyseBuild(
  build: Build,
  rules: AnalysisRules,
  state: DestinationState | undefined,
): Analysis {
  const earlier = state ? toEarlier(state) : new Map<string, EarlierFile>();
  const parcels = decideParcels(build, { ...rules, earlier });
  const facts = {
    files: build.files,
    addresses: rules.addresses,
    origin: rules.url === undefined ? undefined : new URL(rules.url).origin,
    clientRoutes: rules.clientRoutes,
    isRedirected: (address: string) =>
      followRedirect(rules.redirects, `/${address.slice(rules.addresses.basePath.length)}`) !== undefined,
  };
  const graph = buildReferenceGraph(facts);
  const loaded = selectLoadedByPages(graph);
  const { aliases, problems: aliasProblems } = decideAliases({
    parcels,
    graph,
    addresses: rules.addresses,
    serves: rules.serves,
  });
  const redirects = decideRedirects({
    ...rules,
    rules: rules.redirects,
    paths: new Set([...parcels, ...aliases].map(({ key }) => key)),
    edgeCanForget: rules.rules.edgeCanForget,
  });
  const paths = build.files.map(({ path }) => path);
  const problems = [
    ...findBuildProblems(build.folder, rules.entry, paths),
    ...findReferenceProblems(graph, facts),
    ...findNameProblems(paths),
    ...(rules.plainNames ? findFileNameProblems(paths) : []),
    ...aliasProblems,
    ...redirects.problems,
    ...findSecretProblems(build),
    ...findWithheld(build),
    ...findSourceMaps(build),
    ...findOldBuild(build),
    ...findPinned(graph, parcels),
    ...findMetadataProblems(parcels),
    ...findReused(parcels, earlier),
  ];
  const marked = parcels.map((parcel) =>
    WAITING.has(parcel.role) && loaded.has(parcel.key) ? { ...parcel, isLoaded: true as const } : parcel,
  );
  const all = [...marked, ...aliases, ...redirects.parcels].sort((a, b) => byText(a.key, b.key));
  return { parcels: all, graph, routing: redirects.routing, problems: sortProblems(problems) };
}

/** Roles that are written after pages where no page loads them. */
const WAITING: ReadonlySet<Role> = new Set<Role>(["worker", "document"]);

/** What the destination is known to have had under each key; what stands counts before what only once stood. */
const toEarlier = (state: DestinationState): Map<string, EarlierFile> =>
  new Map([
    ...[...(state.immutable ?? [])].map(([key, { hash }]) => [key, { hash, role: "fingerprinted" }] as const),
    ...[...recordedByKey(state)].map(([key, { hash, role }]) => [key, { hash, role }] as const),
  ]);

/** Names that no record knows and that are about to be called immutable: whether they once were must be asked. */
export const hasUnknownImmutables = ({ parcels }: Analysis, state: DestinationState): boolean => {
  const known = recordedByKey(state);
  return parcels.some(({ key, role }) => role === "fingerprinted" && !known.has(key));
};

const sortProblems = (problems: readonly Problem[]): Problem[] =>
  problems.toSorted(
    (a, b) =>
      SEVERITIES.indexOf(a.severity) - SEVERITIES.indexOf(b.severity) ||
      byText(a.code, b.code) ||
      byText(a.path ?? "", b.path ?? "") ||
      (a.line ?? 0) - (b.line ?? 0),
  );

function findSecretProblems({ files }: Build): Problem[] {
  return files.flatMap(({ path, secrets }) =>
    secrets.map((holds): Problem => ({ code: "never-ship", severity: "error", path, facts: { holds } })),
  );
}

const findWithheld = ({ withheld }: Build): Problem[] =>
  withheld.map((path) => ({ code: "never-ship", severity: "error", path, facts: {} }));

/** Source maps show the sources to whoever asks. */
function findSourceMaps({ files }: Build): Problem[] {
  const maps = files.filter(({ path }) => path.endsWith(".map"));
  const [first] = maps;
  if (!first) return [];
  return [{ code: "source-maps", severity: "note", path: first.path, facts: { count: maps.length } }];
}

/** A page that pins a file whose name stays: old pages at edges and in tabs refuse the new bytes, and new pages the old ones. */
function findPinned({ references }: ReferenceGraph, parcels: readonly ExplainedParcel[]): Problem[] {
  const roles = new Map(parcels.map(({ key, role }) => [key, role]));
  return references.flatMap(({ isPinned, to, from, line }): Problem[] => {
    if (!isPinned || to === undefined || roles.get(to) === "fingerprinted") return [];
    return [{ code: "pinned-name", severity: "warning", path: from, line, facts: { to } }];
  });
}

/** What stores take of metadata for one object, in bytes of UTF-8: names without their prefix, and values. */
const MOST_METADATA = 2048;
const METADATA_PREFIX = "x-amz-meta-";

/** Stores refuse an object with more, in the middle of a delivery. */
function findMetadataProblems(parcels: readonly ExplainedParcel[]): Problem[] {
  const encoder = new TextEncoder();
  const bytesOf = (text: string): number => encoder.encode(text).length;
  const measured = new Map<ExplainedParcel["headers"], number>();
  const measure = (headers: ExplainedParcel["headers"]): number => {
    const own = Object.entries(headers).filter(([name]) => name.startsWith(METADATA_PREFIX));
    return own.reduce(
      (sum, [name, value]) => sum + bytesOf(name.slice(METADATA_PREFIX.length)) + bytesOf(value),
      0,
    );
  };
  return parcels.flatMap(({ key, headers }): Problem[] => {
    const size = measured.get(headers) ?? measure(headers);
    measured.set(headers, size);
    if (size <= MOST_METADATA) return [];
    const facts = { size, most: MOST_METADATA };
    return [{ code: "too-much-metadata", severity: "error", path: key, facts }];
  });
}

/** Somebody changed the sources and forgot to build. */
const findOldBuild = ({ newerSource: source }: Build): Problem[] =>
  source === undefined ? [] : [{ code: "old-build", severity: "warning", facts: { source } }];

/** A name that browsers were told never to ask for again, with other bytes. */
function findReused(
  parcels: readonly ExplainedParcel[],
  earlier: ReadonlyMap<string, EarlierFile>,
): Problem[] {
  return parcels.flatMap(({ key, hash, role }): Problem[] => {
    const known = earlier.get(key);
    if (role !== "fingerprinted" || known?.role !== "fingerprinted" || known.hash === hash) return [];
    return [{ code: "fingerprint-reused", severity: "error", path: key, facts: {} }];
  });
}

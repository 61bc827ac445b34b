import type { ReferenceGraph } from "../model/reference.ts";
import type { Build } from "../model/build.ts";
import type { ExplainedParcel } from "../model/explained-parcel.ts";
import { recordedByKey } from "../compare/key-state.ts";
import type { DestinationState } from "../model/release.ts";
import { findStableNames } from "./stable-names.ts";
import { findContentProblems } from "./content-check.ts";
import type { AddressRules } from "../addresses/addresses.ts";
import type { SiteRules } from "./site-rules.ts";
import { decideParcels, findWorkers } from "./parcels.ts";
import { decideKeepOut } from "./keep-out.ts";
import { decideGoneWorkers } from "./gone-workers.ts";
import { findBuildProblems, findErrorPageProblem } from "./build-check.ts";
import { findFileNameProblems, findNameProblems } from "./names-check.ts";
import { byText, type ObjectKey } from "../model/names.ts";
import type { Role } from "../model/role.ts";
import type { Wanted } from "../model/wanted.ts";
import { SEVERITIES, type Problem } from "../model/problem.ts";
import { findWayOut, findWrongBase } from "./base-check.ts";
import {
  buildReferenceGraph,
  findReferenceProblems,
  selectLoadedByPages,
  selectMissing,
  type GraphFacts,
  type ReferenceFacts,
} from "./reference-graph.ts";
import { RedirectRules } from "../addresses/redirects.ts";
import { decideStandIns } from "./stand-ins.ts";
import type { EarlierFile } from "./roles.ts";

/** What is known of a build besides what a destination is to hold of it. */
export interface Findings {
  readonly graph: ReferenceGraph;
  /** By severity, then by path and line. */
  readonly problems: readonly Problem[];
}

/** A build, known completely: what each file is and gets, who names whom, and what is wrong with it. */
export interface Analysis {
  readonly wanted: Wanted<ExplainedParcel>;
  readonly findings: Findings;
}

/** Analyses a build; what is recorded of the destination counts as evidence. */
export function analyseBuild(read: Build, rules: SiteRules, state: DestinationState | undefined): Analysis {
  const keepOut = decideKeepOut(rules);
  const build = withoutFiles(read, keepOut.parcels);
  const earlier = state ? toEarlier(state) : new Map<string, EarlierFile>();
  const paths = build.files.map(({ path }) => path);
  const gone = decideGoneWorkers({ live: state?.waybill, rules, paths: new Set(paths) });
  const parcels = [...decideParcels(build, rules, earlier), ...gone.parcels, ...keepOut.parcels];
  const { addressRules, endpoint, url, clientRoutes } = rules;
  const redirectRules = new RedirectRules(rules.redirects);
  const facts = {
    ...{ files: build.files, addressRules, clientRoutes },
    origin: url === undefined ? undefined : new URL(url).origin,
    isRedirected: (address: string) =>
      redirectRules.follow(`/${address.slice(addressRules.basePath.length)}`) !== undefined,
  };
  const graph = buildReferenceGraph(facts);
  const loaded = selectLoadedByPages(graph);
  const standIns = decideStandIns(parcels, graph, rules);
  const problems = [
    ...findBuildProblems(build.folder, rules.entry, paths),
    ...findErrorPageProblem(parcels, rules),
    ...findPlaceProblems(graph, {
      ...facts,
      knownMissing: state?.waybill?.missing,
      isPreview: rules.headers.keepsNothing === true,
    }),
    ...findNameProblems(paths, endpoint.bucketPrefix),
    ...(endpoint.plainNames === false ? [] : findFileNameProblems(paths, endpoint.plainNames)),
    ...standIns.problems,
    ...gone.problems,
    ...keepOut.problems,
    ...findStableNames(parcels, graph),
    ...findContentProblems(build, { parcels, graph, earlier }),
  ];
  const marked = parcels.map((parcel) =>
    WAITING.has(parcel.role) && loaded.has(parcel.key) ? { ...parcel, isLoaded: true as const } : parcel,
  );
  const all = [...marked, ...standIns.parcels].sort((a, b) => byText(a.key, b.key));
  const missing = selectMissing(problems);
  const workers = listWorkers(build, addressRules, parcels);
  return {
    wanted: {
      ...{ parcels: all, loaded, routing: standIns.routing, origin: { from: "build" } },
      ...{ workers, aside: listAside(read, build, rules), edgeRules: standIns.edgeRules },
      ...(Object.keys(missing).length > 0 && { missing }),
    },
    findings: { graph, problems: sortProblems(problems) },
  };
}

/** Files of the build that the destination's own stand in front of: for other destinations, with the role that they have there. */
function listAside(read: Build, build: Build, rules: SiteRules): ExplainedParcel[] | undefined {
  const { added } = read;
  const kept = new Set(build.files.map(({ path }) => path));
  const files = [
    ...(read.covered ?? []),
    ...read.files.filter(({ path }) => !kept.has(path) && added?.has(path) !== true),
  ];
  if (files.length === 0) return undefined;
  const { added: _, ...own } = read;
  return decideParcels({ ...own, files }, rules, new Map()).map((parcel) => ({ ...parcel, isAside: true }));
}

/** A build without what something of ours stands in the place of. */
function withoutFiles(build: Build, parcels: readonly ExplainedParcel[]): Build {
  const own = new Set(parcels.map(({ key }) => key));
  return own.size === 0 ? build : { ...build, files: build.files.filter(({ path }) => !own.has(path)) };
}

/** One whose name carries a hash is replaced by another name in any case, and stands on for open tabs. */
function listWorkers(
  { files }: Build,
  addressRules: AddressRules,
  parcels: readonly ExplainedParcel[],
): ObjectKey[] {
  const found = findWorkers(files, addressRules);
  return parcels
    .filter(
      ({ key, role, roleReason }) => role === "worker" && (found.has(key) || roleReason.code === "retired"),
    )
    .map(({ key }) => key)
    .sort(byText);
}

/** A build that was made for another place than the destination's is wrong as a whole: what it names can't be there. */
function findPlaceProblems(
  graph: ReferenceGraph,
  { isPreview, ...facts }: ReferenceFacts & GraphFacts & { readonly isPreview: boolean },
): Problem[] {
  const wrong = isPreview ? findWayOut(facts) : findWrongBase(facts);
  return wrong ? [wrong] : findReferenceProblems(graph, facts);
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
export const hasUnknownImmutables = ({ parcels }: Wanted, state: DestinationState): boolean => {
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

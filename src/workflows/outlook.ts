import { createHash } from "node:crypto";
import type { Build } from "../core/model/build.ts";
import type { ExplainedParcel } from "../core/model/explained-parcel.ts";
import { longestPageFreshness } from "../core/model/cache-control.ts";
import { analyseBuild, hasUnknownImmutables, type Analysis, type Findings } from "../core/build/analysis.ts";
import { applyEncodedForms } from "../core/build/stored-encoding.ts";
import { compareParcels } from "../core/compare/compare.ts";
import { takeCaseOf } from "../core/compare/fold-case.ts";
import { withdraw } from "../core/compare/withdrawn.ts";
import { fillPolicies } from "../core/edge-rules/content-policy.ts";
import { isSameRules } from "../core/edge-rules/same.ts";
import { decideDelivery, selectNeededWaybills, type DeliveryDecision } from "../core/delivery/decide.ts";
import { OperatorError } from "../core/model/failure.ts";
import { POINTER_KEY, type ObjectKey, type Sha256 } from "../core/model/names.ts";
import type { OutsideContent } from "../core/model/plan.ts";
import type { PageNeeds } from "../core/model/page-needs.ts";
import type { Problem } from "../core/model/problem.ts";
import type { Parcel } from "../core/model/parcel.ts";
import type { DestinationState, Waybill } from "../core/model/release.ts";
import type { Wanted } from "../core/model/wanted.ts";
import { encodeParcels } from "../gather/encode.ts";
import { readPageNeeds } from "../gather/page-needs.ts";
import { weighFirstVisit } from "../gather/weigh.ts";
import {
  lookAtObjects,
  readDestination,
  readImmutableNames,
  tryReadWaybill,
  type Candidate,
} from "../gather/read-destination.ts";
import type { BuildSource } from "../ports/build-source.ts";
import { ControlError } from "../ports/distribution.ts";
import { lookAtOriginal } from "./original.ts";
import type { Reporter } from "../ports/reporter.ts";
import { whileTold } from "./while-told.ts";
import { needsOf, type Delivery, type Place, type Safety, type Stay } from "./run.ts";

/** What is to stand at a destination, what stands, and what is to be done: all that `compare` prints and `deliver` carries out. */
export interface Outlook<P extends Parcel = Parcel> {
  readonly wanted: Wanted<P>;
  readonly state: DestinationState;
  readonly decision: DeliveryDecision;
}

/** The same of a build, with all that is known of it. */
export interface BuildOutlook extends Outlook<ExplainedParcel> {
  readonly build: Build;
  readonly findings: Findings;
}

/** Reads the build and the destination and decides the delivery; writes nothing. */
export async function planOutlook(delivery: Delivery): Promise<BuildOutlook> {
  const { run, place, source } = delivery;
  // It scans before it returns: where there is no build nobody is asked.
  const [read, asked] = await whileTold(run.report, { code: "read", what: "build" }, () => {
    const reading = source.read(place.siteRules.exclude);
    // Both to their end, so that a failure of one leaves no call behind that goes on trying.
    return Promise.allSettled([reading, readDestination(place.store, place.destination)]);
  });
  if (read.status === "rejected") throw read.reason;
  if (asked.status === "rejected") throw asked.reason;
  const build = read.value;
  const outlook = await planWith(delivery, build, asked.value);
  run.report({
    event: "gathered",
    what: "build",
    files: build.files.length,
    bytes: build.files.reduce((sum, { size }) => sum + size, 0),
    objects: outlook.state.listing.length,
  });
  return outlook;
}

/** The same for a build that was read before: after a person's answer, or another run's delivery. */
export async function planAgain(delivery: Delivery, build: Build): Promise<BuildOutlook> {
  const { store, destination } = delivery.place;
  return planWith(delivery, build, await readDestination(store, destination));
}

async function planWith(delivery: Delivery, build: Build, found: DestinationState): Promise<BuildOutlook> {
  const { place, source, safety } = delivery;
  const named = takeCaseOf(
    found,
    build.files.map(({ path }) => path),
  );
  const { state, analysis } = await analyse(place, build, named);
  const { findings } = analysis;
  const firstVisit = await weighFirstVisit(source, analysis);
  const pageNeeds = findPageNeeds(place, source, analysis);
  const filled = withPolicies({ ...analysis.wanted, firstVisit, pageNeeds });
  const wanted = encode(place, source, { wanted: filled.wanted, state });
  assertRetentionCoversPages(place, safety, wanted.parcels);
  const decision = await decideOutlook(delivery, {
    ...{ state, wanted, problems: [...findings.problems, ...filled.problems] },
    findCandidate: createFinder(wanted.parcels, source),
  });
  return { build, findings, wanted, state, decision };
}

/** What pages load and run, where a policy is worked out from that. */
function findPageNeeds(
  { siteRules: { needsPages, url } }: Place,
  source: BuildSource,
  { wanted: { parcels } }: Analysis,
): PageNeeds | undefined {
  const origin = url === undefined ? undefined : new URL(url).origin;
  return needsPages ? readPageNeeds(source, parcels, origin) : undefined;
}

/** The same with policies worked out from what its pages load, and what is wrong with them. */
export function withPolicies<P extends Parcel>(
  wanted: Wanted<P>,
): { readonly wanted: Wanted<P>; readonly problems: readonly Problem[] } {
  const { edgeRules, pageNeeds } = wanted;
  if (!edgeRules) return { wanted, problems: [] };
  const { rules, problems } = fillPolicies(edgeRules, pageNeeds);
  return { wanted: { ...wanted, edgeRules: rules }, problems };
}

/** Names that may have been promised to browsers once are asked for only where a build brings some that no record knows. */
async function analyse(
  { siteRules, store }: Place,
  build: Build,
  state: DestinationState,
): Promise<{ readonly state: DestinationState; readonly analysis: Analysis }> {
  const analysis = analyseBuild(build, siteRules, state);
  if (!hasUnknownImmutables(analysis.wanted, state)) return { state, analysis };
  const immutable = await readImmutableNames(store, state);
  const known = { ...state, immutable };
  return { state: known, analysis: immutable.size === 0 ? analysis : analyseBuild(build, siteRules, known) };
}

export interface OutlookFacts extends Pick<Outlook, "wanted" | "state"> {
  /** What is wrong with the build; none of a release. */
  readonly problems: Findings["problems"];
  /** What may stand under a key, so that its bytes need not be read; absent: nobody knows. */
  readonly findCandidate?: (key: ObjectKey) => Candidate | undefined;
  /** Where contents stand at another destination; absent: a preview asks the one that it is of. */
  readonly outside?: ReadonlyMap<Sha256, OutsideContent> | undefined;
}

/** What is to stand against what stands: looks at what no record can be trusted about, then decides. */
export async function decideOutlook(
  { run, place, safety }: Stay,
  { wanted, state, problems, findCandidate, outside: given }: OutlookFacts,
): Promise<DeliveryDecision> {
  const { store, siteRules, site } = place;
  const { retention, vanishShare, allowed } = safety;
  const before = compareParcels(wanted.parcels, state);
  const looks = await lookAtObjects(store, before, state.listing, findCandidate);
  const known = looks.size > 0 ? compareParcels(wanted.parcels, state, looks) : before;
  const { comparison, withdrawn } = withdraw(known, siteRules.exclude);
  const original =
    place.preview && before.changes.length > 0 ? await lookAtOriginal(place.preview) : undefined;
  const facts = {
    outside: given ?? original?.contents,
    forgottenElsewhere: original?.forgotten,
    ...{ site, wanted, problems, state, comparison, withdrawn, retention, vanishShare, allowed },
    addressRules: siteRules.addressRules,
    clientRoutes: siteRules.clientRoutes,
    bucketPrefix: siteRules.endpoint.bucketPrefix,
    edges: needsOf(place),
    edgeDrifts: await findDrift(place, wanted, state),
    sequence: run.author.sequence,
    // Asked only when something is about to be written: an unchanged build costs no request more.
    exposedAt: before.changes.length > 0 ? await findExposure(run.report, place, state) : undefined,
  };
  return decideDelivery({ ...facts, olderWaybills: await readOlderWaybills(store, facts) });
}

/**
 * Whether somebody has changed what the edge does by itself since it was delivered. Where it is to be changed anyway, or
 * nobody answers, it need not be known.
 */
async function findDrift(
  { ruleKeeper }: Place,
  { edgeRules }: Wanted,
  { waybill }: DestinationState,
): Promise<boolean> {
  if (!ruleKeeper || !edgeRules || !isSameRules(waybill?.edgeRules, edgeRules)) return false;
  try {
    return (await ruleKeeper.findOther(edgeRules)).length > 0;
  } catch (error) {
    if (error instanceof ControlError) return false;
    throw error;
  }
}

/** Where anybody may read our records: from the store, unsigned, or at the site's address, through whatever reads it there. */
async function findExposure(
  report: Reporter,
  { store, visitors, siteRules }: Place,
  { pointerHash }: DestinationState,
): Promise<"store" | "site" | undefined> {
  if (pointerHash === undefined) return undefined;
  // Who may read a folder is up to its web server.
  const isFolder = store.location.bucket === "";
  if (!isFolder && (await store.isPublic(POINTER_KEY))) return "store";
  if (!visitors) return undefined;
  const address = siteRules.addressRules.basePath + POINTER_KEY;
  // Who does not answer may take seconds.
  const task = { code: "ask", url: siteRules.url ?? "", addresses: 1 } as const;
  const answer = await whileTold(report, task, () => visitors.ask(address));
  const isOurs = answer?.status === 200 && answer.hash === pointerHash;
  return isOurs ? "site" : undefined;
}

/** The build's own bytes under each key, small enough to be read for a comparison by MD5. */
function createFinder(
  parcels: readonly Parcel[],
  source: BuildSource,
): (key: ObjectKey) => Candidate | undefined {
  const byKey = new Map(parcels.map((parcel) => [parcel.key, parcel]));
  return (key) => {
    const parcel = byKey.get(key);
    if (!parcel || parcel.size > MOST_FOR_MD5 || parcel.redirectsTo !== undefined) return undefined;
    const md5 = (): string => {
      const bytes = source.open(parcel).open();
      return bytes instanceof Uint8Array ? createHash("md5").update(bytes).digest("hex") : "";
    };
    return { hash: parcel.storedHash, size: parcel.size, md5 };
  };
}

const MOST_FOR_MD5 = 8 * 1024 * 1024;

/** The same with what is to be stored encoded, where the settings ask for it. */
function encode(
  { siteRules }: Place,
  source: BuildSource,
  { wanted, state }: Pick<BuildOutlook, "wanted" | "state">,
): Wanted<ExplainedParcel> {
  if (siteRules.compression === "off") return wanted;
  const forms = encodeParcels(source, wanted.parcels);
  return { ...wanted, parcels: applyEncodedForms(wanted.parcels, forms, state) };
}

/** Undefined where one of them can't be read. */
async function readOlderWaybills(
  store: Place["store"],
  facts: Parameters<typeof selectNeededWaybills>[0],
): Promise<Waybill[] | undefined> {
  const needed = selectNeededWaybills(facts);
  const read = await Promise.all(needed.map((release) => tryReadWaybill(store, release)));
  const waybills = read.filter((waybill) => waybill !== undefined);
  return waybills.length < read.length ? undefined : waybills;
}

/** An edge or a browser may show a page for as long as its freshness says: what that page names must stand for so long. */
function assertRetentionCoversPages(
  { destination }: Place,
  { retention }: Safety,
  parcels: readonly Parcel[],
): void {
  const pageSeconds = longestPageFreshness(parcels);
  const { forSeconds } = retention;
  if (pageSeconds > forSeconds)
    throw new OperatorError("settings-invalid", {
      mistakes: [{ path: ["destinations", destination, "retain", "for"], what: { forSeconds, pageSeconds } }],
    });
}

import { createHash, hash } from "node:crypto";
import type { AddressRules } from "../core/addresses/addresses.ts";
import { compareParcels } from "../core/compare/compare.ts";
import { decideDelivery, selectNeededWaybills, type DeliveryDecision } from "../core/delivery/decide.ts";
import { OperatorError } from "../core/model/failure.ts";
import type { DestinationState, Waybill } from "../core/model/release.ts";
import { analyseBuild, hasUnknownImmutables, type Analysis } from "../core/build/analysis.ts";
import { POINTER_KEY, type ObjectKey } from "../core/model/names.ts";
import { toPointerText } from "../core/history/waybill.ts";
import { longestPageFreshness, type Build, type ExplainedParcel } from "../core/build/parcels.ts";
import { applyEncodedForms } from "../core/build/stored-encoding.ts";
import { encodeParcels } from "../gather/encode.ts";
import {
  probeObjects,
  readDestination,
  readImmutableNames,
  readWaybill,
  type Candidate,
} from "../gather/read-destination.ts";
import type { Parcel } from "../core/model/parcel.ts";
import type { BuildSource } from "../ports/build-source.ts";
import type { ObjectStore } from "../ports/object-store.ts";
import type { Delivery } from "./delivery.ts";

/** A build, a destination, and what is to be done: everything that `compare` prints and `deliver` carries out. */
export interface Outlook {
  readonly build: Build;
  readonly analysis: Analysis;
  readonly parcels: readonly ExplainedParcel[];
  readonly state: DestinationState;
  readonly decision: DeliveryDecision;
  readonly addresses: AddressRules;
  /** The release that is put back; absent: a build is delivered. */
  readonly redelivers?: number;
}

/** Reads the build and the destination and decides the delivery; writes nothing. */
export async function planOutlook(delivery: Delivery): Promise<Outlook> {
  const build = delivery.source.read(delivery.target.exclude);
  if (build.files.length > VERY_MANY) delivery.machine.spareMemory();
  const outlook = await planAgain(delivery, build);
  const { state } = outlook;
  const bytes = build.files.reduce((sum, { size }) => sum + size, 0);
  delivery.report({
    event: "gathered",
    what: "build",
    files: build.files.length,
    bytes,
    objects: state.listing.length,
  });
  return outlook;
}

/** Above this many files memory counts more than a second. */
const VERY_MANY = 25_000;

/** The same for a build that was read before: after a person's answer, or another run's delivery. */
export async function planAgain(delivery: Delivery, build: Build): Promise<Outlook> {
  const { target, store } = delivery;
  let state = await readDestination(store, target.destination);
  let analysed = analyseBuild(build, target, state);
  if (hasUnknownImmutables(analysed, state)) {
    state = { ...state, immutable: await readImmutableNames(store, state) };
    if (state.immutable?.size !== 0) analysed = analyseBuild(build, target, state);
  }
  const analysis = encodeAnalysis(delivery, analysed, state);
  assertRetentionCoversPages(delivery, analysis.parcels);
  return { build, ...(await decideOutlook(delivery, state, analysis)) };
}

/** What is to stand against what stands: looks at what no record can be trusted about, then decides. */
export async function decideOutlook(
  delivery: Delivery,
  state: DestinationState,
  analysis: Analysis,
  isWayBack = false,
): Promise<Omit<Outlook, "build">> {
  const { target, store, allowed, author, source, edges } = delivery;
  const { parcels } = analysis;
  const before = compareParcels(parcels, state);
  const byKey = new Map(parcels.map((parcel) => [parcel.key, parcel]));
  const findCandidate = (key: ObjectKey): Candidate | undefined =>
    isWayBack ? undefined : toCandidate(byKey.get(key), source);
  const probes = await probeObjects(store, before, state.listing, findCandidate);
  const comparison = probes.size > 0 ? compareParcels(parcels, state, probes) : before;
  const decision = decideDelivery({
    ...target,
    analysis,
    state,
    comparison,
    edges: edges.map(({ name, abilities }) => ({ name, ...abilities })),
    allowed,
    sequence: author.sequence,
    // Asked only when something is about to be written: an unchanged build costs no request more.
    exposedAt: before.changes.length > 0 ? await findExposure(delivery, state) : undefined,
    olderWaybills: await readOlderWaybills(store, state, target.retention),
    isWayBack,
  });
  return { analysis, parcels, state, decision, addresses: target.addresses };
}

/** Where anybody may read our records: from the store, unsigned, or at the site's address, through whatever reads it there. */
async function findExposure(
  { store, site, target }: Delivery,
  { pointer }: DestinationState,
): Promise<"store" | "site" | undefined> {
  if (!pointer) return undefined;
  if (target.store.kind !== "folder" && (await store.isPublic(POINTER_KEY))) return "store";
  const answer = await site?.ask(target.addresses.basePath + POINTER_KEY);
  const isOurs = answer?.status === 200 && answer.hash === hash("sha256", toPointerText(pointer));
  return isOurs ? "site" : undefined;
}

/** The build's own bytes, small enough to be read for a comparison by MD5. */
function toCandidate(parcel: Parcel | undefined, source: BuildSource): Candidate | undefined {
  if (!parcel || parcel.size > MOST_FOR_MD5 || parcel.redirectsTo !== undefined) return undefined;
  const md5 = (): string => {
    const bytes = source.open(parcel).open();
    return bytes instanceof Uint8Array ? createHash("md5").update(bytes).digest("hex") : "";
  };
  return { hash: parcel.storedHash, size: parcel.size, md5 };
}

const MOST_FOR_MD5 = 8 * 1024 * 1024;

/** The same with what is to be stored encoded, where the settings ask for it. */
function encodeAnalysis({ target, source }: Delivery, analysis: Analysis, state: DestinationState): Analysis {
  if (target.compression === "off") return analysis;
  const forms = encodeParcels(source, analysis.parcels);
  return { ...analysis, parcels: applyEncodedForms(analysis.parcels, forms, state) };
}

async function readOlderWaybills(
  store: ObjectStore,
  state: DestinationState,
  retention: Delivery["target"]["retention"],
): Promise<Waybill[] | undefined> {
  try {
    return await Promise.all(
      selectNeededWaybills(state, retention).map((release) => readWaybill(store, release)),
    );
  } catch (error) {
    if (error instanceof OperatorError && error.code === "record-unreadable") return undefined;
    throw error;
  }
}

/** An edge or a browser may show a page for as long as its freshness says: what that page names must stand for so long. */
function assertRetentionCoversPages({ target }: Delivery, parcels: readonly ExplainedParcel[]): void {
  const longest = longestPageFreshness(parcels);
  if (longest <= target.retention.forSeconds) return;
  const problem = `  destinations.${target.destination}.retain.for: ${target.retention.forSeconds} s is shorter than an edge or a browser may reuse a page (${longest} s)`;
  throw new OperatorError("settings-invalid", { problems: problem });
}

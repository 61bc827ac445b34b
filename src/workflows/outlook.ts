import { compareParcels } from "../core/compare.ts";
import { decideDelivery, selectNeededWaybills, type DeliveryDecision } from "../core/delivery.ts";
import { OperatorError } from "../core/failures.ts";
import type { DestinationState, Waybill } from "../core/model/release.ts";
import { analyseBuild, hasUnknownImmutables, type Analysis } from "../core/analysis.ts";
import { POINTER_KEY } from "../core/model/names.ts";
import { longestPageFreshness, type Build, type ExplainedParcel } from "../core/parcels.ts";
import { applyEncodedForms } from "../core/stored-encoding.ts";
import { encodeParcels } from "../gather/encode.ts";
import {
  probeObjects,
  readDestination,
  readImmutableNames,
  readWaybill,
} from "../gather/read-destination.ts";
import type { ObjectStore } from "../ports/object-store.ts";
import type { Delivery } from "./delivery.ts";

/** A build, a destination, and what is to be done: everything that `compare` prints and `deliver` carries out. */
export interface Outlook {
  readonly build: Build;
  readonly analysis: Analysis;
  readonly parcels: readonly ExplainedParcel[];
  readonly state: DestinationState;
  readonly decision: DeliveryDecision;
}

/** Reads the build and the destination and decides the delivery; writes nothing. */
export async function planOutlook(delivery: Delivery): Promise<Outlook> {
  const outlook = await planAgain(delivery, delivery.source.read(delivery.target.exclude));
  const { build, state } = outlook;
  const bytes = build.files.reduce((sum, { size }) => sum + size, 0);
  delivery.report({ event: "gathered", files: build.files.length, bytes, objects: state.listing.length });
  return outlook;
}

/** The same for a build that was read before: after a person's answer, or another run's delivery. */
export async function planAgain(delivery: Delivery, build: Build): Promise<Outlook> {
  const { target, store, allowed, author } = delivery;
  let state = await readDestination(store, target.destination);
  let analysed = analyseBuild(build, target, state);
  if (hasUnknownImmutables(analysed, state)) {
    state = { ...state, immutable: await readImmutableNames(store, state) };
    if (state.immutable?.size !== 0) analysed = analyseBuild(build, target, state);
  }
  const analysis = encodeAnalysis(delivery, analysed, state);
  const { parcels } = analysis;
  assertRetentionCoversPages(delivery, parcels);
  const { unprobed, changes } = compareParcels(parcels, state);
  const probes = await probeObjects(store, unprobed);
  const decision = decideDelivery({
    ...target,
    analysis,
    state,
    probes,
    edges: delivery.edges.map(({ name, abilities }) => ({ name, ...abilities })),
    allowed,
    sequence: author.sequence,
    // Asked only when something is about to be written: an unchanged build costs no request more.
    isExposed: state.pointer !== undefined && changes.length > 0 && (await store.isPublic(POINTER_KEY)),
    olderWaybills: await readOlderWaybills(store, state, target.retention),
  });
  return { build, analysis, parcels, state, decision };
}

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

/** An edge may serve a page for as long as its freshness says: what that page names must stand for so long. */
function assertRetentionCoversPages({ target }: Delivery, parcels: readonly ExplainedParcel[]): void {
  const longest = longestPageFreshness(parcels);
  if (longest <= target.retention.forSeconds) return;
  const problem = `  destinations.${target.destination}.retain.for: ${target.retention.forSeconds} s is shorter than an edge may reuse a page (${longest} s)`;
  throw new OperatorError("settings-invalid", { problems: problem });
}

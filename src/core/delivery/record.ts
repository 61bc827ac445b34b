import { etagsOfUnchanged } from "../compare/compare.ts";
import type { DeliveryDecision } from "./decide.ts";
import { byText, isStateKey, type ObjectKey, type Sha256 } from "../model/names.ts";
import { toPlainParcel, type Parcel, type RecordedParcel } from "../model/parcel.ts";
import { isAssetLike } from "../model/role.ts";
import { elsewhereOf, releaseOf, type Wanted, type FirstVisit } from "../model/wanted.ts";
import { phaseOf, stepsOf, targetOf } from "../model/plan.ts";
import { selectUnrecorded } from "../edges/owed.ts";
import { extendGone } from "../history/gone.ts";
import { toVaultLists } from "../history/last-listed.ts";
import type {
  AsideFile,
  DestinationState,
  OpenDelivery,
  Pointer,
  PreviewRecord,
  RetainedRelease,
  Waybill,
} from "../model/release.ts";

export interface NextReleaseFacts {
  readonly site: string;
  readonly run: string;
  /** ISO 8601 UTC. */
  readonly at: string;
  readonly author: {
    readonly by: string;
    readonly commit?: string;
    readonly note?: string;
    readonly sequence?: number;
  };
  readonly wanted: Wanted;
  readonly state: DestinationState;
  readonly decision: DeliveryDecision;
  /** Settings of the website endpoint that this run writes over, by the hash of what the vault gets of them. */
  readonly keptSettings: readonly Sha256[];
  /** Absent: it is no preview. */
  readonly preview?: PreviewRecord | undefined;
}

/**
 * The record of the release that a delivery makes.
 * @param etags of the objects that it wrote; a parcel that is yet to be written (a worker) is recorded without one
 */
export function toWaybill(facts: NextReleaseFacts, etags: ReadonlyMap<ObjectKey, string>): Waybill {
  const { decision, state, wanted, author } = facts;
  const redelivers = releaseOf(wanted.origin);
  const takenFrom = elsewhereOf(wanted.origin);
  const { firstVisit } = wanted;
  const unchanged = etagsOfUnchanged(decision.comparison, state);
  const toRecorded = (parcel: Parcel): RecordedParcel => {
    const etag = etags.get(parcel.key) ?? unchanged.get(parcel.key);
    return { ...toPlainParcel(parcel), ...(etag === undefined ? {} : { etag }) };
  };
  const kept = allKept(facts);
  const gone = extendGone(state.waybill, wanted.parcels);
  const previous = state.waybill?.release ?? 0;
  return {
    site: facts.site,
    release: decision.plan.release,
    run: facts.run,
    previous,
    at: facts.at,
    by: author.by,
    ...(author.commit === undefined ? {} : { commit: author.commit }),
    ...(author.note === undefined ? {} : { note: author.note }),
    ...(author.sequence === undefined ? {} : { sequence: author.sequence }),
    ...(redelivers === undefined ? {} : { redelivers }),
    ...(firstVisit === undefined ? {} : { firstVisit: toFirstVisit(firstVisit) }),
    ...(wanted.workers.length === 0 ? {} : { workers: wanted.workers }),
    ...(wanted.missing === undefined ? {} : { missing: wanted.missing }),
    ...(wanted.routing.length === 0 ? {} : { routing: wanted.routing }),
    ...(wanted.edgeRules === undefined ? {} : { edgeRules: wanted.edgeRules }),
    ...(wanted.pageNeeds === undefined ? {} : { pageNeeds: wanted.pageNeeds }),
    ...(kept.length === 0 ? {} : { keptSettings: kept }),
    ...(decision.lastListed && { vault: toVaultLists(decision.lastListed, listVault(facts)) }),
    ...(Object.keys(gone).length === 0 ? {} : { gone }),
    ...(facts.preview && { preview: facts.preview }),
    ...(takenFrom === undefined ? {} : { takenFrom }),
    ...(wanted.aside === undefined || wanted.aside.length === 0
      ? {}
      : { aside: wanted.aside.map(toAsideFile) }),
    parcels: wanted.parcels.map(toRecorded),
    // Those that this very delivery clears are still listed: it may die before it gets there.
    standing: decision.comparison.stale
      .filter(({ recorded }) => isAssetLike(recorded.role))
      .map(({ recorded, listed, standingHash }) => ({
        ...recorded,
        storedHash: standingHash,
        etag: listed.etag,
        lastIn: recorded.lastIn ?? previous,
      })),
  };
}

const toFirstVisit = ({ page, wire, loads }: FirstVisit): FirstVisit => ({
  ...{ page, wire },
  ...(loads && { loads }),
});

const toAsideFile = ({ key, hash, size, role, headers }: Parcel): AsideFile => ({
  ...{ key, hash, size, role },
  type: headers["content-type"] ?? "",
});

/** What is in the vault, and what this delivery brings there. */
const listVault = ({ state, decision }: NextReleaseFacts): Set<ObjectKey> =>
  new Set(
    [...state.listing.map(({ key }) => key), ...stepsOf(phaseOf(decision.plan, "keep")).map(targetOf)].filter(
      isStateKey,
    ),
  );

/** The pointer to a release; what its edges are about to be asked for stands in it as owed. */
export function toPointer(
  { site, run, at, decision, state, preview }: NextReleaseFacts,
  waybillHash: Sha256,
  zero?: RetainedRelease,
): Pointer {
  const { plan, pageFreshnessSeconds } = decision;
  const retained = zero
    ? [...decision.retained.filter(({ release }) => release !== 0), zero]
    : decision.retained;
  const pending = new Set(phaseOf(plan, "announce").groups.flatMap(({ steps }) => steps.map(targetOf)));
  const announced = Object.entries(state.pointer?.announced ?? {}).filter(([key]) => !pending.has(key));
  return {
    site,
    release: plan.release,
    run,
    retained: [{ release: plan.release, run, waybillHash, at, pageFreshnessSeconds }, ...retained],
    owed: plan.owed,
    announced: Object.fromEntries(announced),
    ...(state.pointer?.forgotten && { forgotten: state.pointer.forgotten }),
    ...(preview && { preview }),
  };
}

/** What this run and those that died before it have written over, of the website's settings. */
const allKept = ({ keptSettings, state }: Pick<NextReleaseFacts, "keptSettings" | "state">): Sha256[] => [
  ...new Set([...keptSettings, ...selectUnrecorded(state).flatMap(({ website }) => website?.kept ?? [])]),
];

/**
 * What a run writes down before its first write: what it will write, and what will be owed from then on (O9). It takes over
 * what runs that died have left in theirs, so that one record tells all, however often a run fails.
 */
export function toOpenDelivery(facts: NextReleaseFacts): OpenDelivery {
  const { site, run, at, decision, state } = facts;
  const { by } = facts.author;
  const { plan, originals } = decision;
  const left = selectUnrecorded(state);
  const written = plan.phases
    .filter(({ name }) => name !== "keep" && name !== "clear")
    .flatMap(stepsOf)
    .filter((step) => step.do !== "remove")
    .map(targetOf);
  const parcels = new Map(decision.comparison.changes.map(({ parcel }) => [parcel.key, parcel]));
  const own = [
    ...written.flatMap((key) => parcels.get(key) ?? []),
    // Given a new ETag, they would count as somebody else's if this run died.
    ...decision.comparison.threatened.map(({ parcel }) => parcel),
  ];
  const removed = plan.phases
    .flatMap(stepsOf)
    .flatMap((step) => (step.do === "remove" && !isStateKey(step.key) ? [step.key] : []));
  const rules = [...left.flatMap(({ website }) => website?.rules ?? []), ...(decision.newRouting ?? [])];
  const isWebsite = decision.newRouting !== undefined || left.some(({ website }) => website !== undefined);
  const isEdge =
    decision.newEdgeRules !== undefined || left.some(({ switchesEdge }) => switchesEdge === true);
  return {
    ...{ site, run, release: plan.release, at, by, originals, owed: plan.owed },
    ...(isEdge && { switchesEdge: true as const }),
    parcels: distinct([...own, ...left.flatMap((open) => open.parcels)]),
    removes: [...new Set([...removed, ...left.flatMap((open) => open.removes)])],
    ...(isWebsite && {
      website: {
        rules: [...new Map(rules.map((rule) => [JSON.stringify(rule), rule])).values()],
        kept: allKept(facts),
      },
    }),
  };
}

/** Each key with each of its contents and labels once. */
const distinct = (parcels: readonly Parcel[]): Parcel[] => [
  ...new Map(
    parcels.map((parcel) => [
      `${parcel.key}\n${parcel.storedHash}\n${JSON.stringify(parcel.headers)}`,
      parcel,
    ]),
  ).values(),
];

/** Release 0: what others had put where this tool has written since, to be put back on demand. */
export function toReleaseZero(
  { site, run, at, author: { by }, decision }: NextReleaseFacts,
  before: Waybill | undefined,
  note: string,
): Waybill {
  // What was first there is what counts.
  const parcels = new Map(
    [...decision.originals, ...(before?.parcels ?? [])].map((parcel) => [parcel.key, parcel]),
  );
  return {
    ...{ site, release: 0, run, previous: 0, at, by, standing: [] },
    note,
    parcels: [...parcels.values()].sort((a, b) => byText(a.key, b.key)),
  };
}

import { byText, type ObjectKey, type Sha256 } from "../model/names.ts";
import { toPlainParcel } from "../model/parcel.ts";
import { toAsideParcel, workersOf } from "../model/release.ts";
import { stepsOf, type Plan } from "../model/plan.ts";
import type { EdgeRules } from "../model/edge-rules.ts";
import type { Waybill } from "../model/release.ts";
import type { Wanted } from "../model/wanted.ts";

export interface WayBackFacts {
  /** Contents that were removed for good. */
  readonly forgotten: ReadonlySet<Sha256>;
  readonly ownsWebsite: boolean;
  /** Whether the edge can be given what a release has it do. */
  readonly carriesEdgeRules: boolean;
}

/**
 * What a destination is to hold again: a release with the headers that were recorded. Release 0 is no release but what
 * others had put where this tool has written: it is laid over the current one and removes nothing.
 * @returns and the keys that can't come back, since their content was removed for good
 */
export function fromRelease(
  release: Waybill,
  current: Waybill | undefined,
  { forgotten, ownsWebsite, carriesEdgeRules }: WayBackFacts,
): { readonly wanted: Wanted; readonly leftOut: readonly ObjectKey[] } {
  const isZero = release.release === 0;
  const base = isZero ? (current?.parcels ?? []) : [];
  const byKey = new Map([...base, ...release.parcels].map((parcel) => [parcel.key, parcel]));
  const all = [...byKey.values()].sort((a, b) => byText(a.key, b.key));
  const parcels = all.filter(({ storedHash }) => !forgotten.has(storedHash)).map(toPlainParcel);
  return {
    wanted: {
      parcels,
      // Without its build nobody knows more than its record does.
      loaded: new Set(parcels.filter(({ isLoaded }) => isLoaded).map(({ key }) => key)),
      routing: (isZero || !ownsWebsite ? current?.routing : release.routing) ?? [],
      edgeRules: carriesEdgeRules ? backRules(isZero ? current : release, current) : undefined,
      pageNeeds: (isZero ? current : release)?.pageNeeds,
      firstVisit: isZero ? current?.firstVisit : release.firstVisit,
      workers: workersOf(isZero ? current : release),
      aside: (isZero ? current : release)?.aside
        ?.filter(({ hash }) => !forgotten.has(hash))
        .map(toAsideParcel),
      missing: isZero ? current?.missing : release.missing,
      origin: { from: "release", release: release.release },
    },
    leftOut: all.filter(({ storedHash }) => forgotten.has(storedHash)).map(({ key }) => key),
  };
}

/** A release from before the edge was given anything had all in its objects; of headers it knew nothing. */
function backRules(release: Waybill | undefined, current: Waybill | undefined): EdgeRules | undefined {
  const now = current?.edgeRules;
  if (!now) return release?.edgeRules;
  const { basePath, apart, previews, headers } = now;
  // Where previews are is the destination's own, and no release's.
  const places = { apart, ...(previews && { previews }) };
  if (release?.edgeRules) return { ...release.edgeRules, previews: undefined, ...places };
  return { basePath, headers, redirects: [], ...places };
}

/** What a way back would have to send: contents that stand nowhere any more. */
export const findGoneContents = ({ phases }: Plan): ObjectKey[] =>
  phases
    .flatMap(stepsOf)
    .flatMap((step) => (step.do === "send" && step.parcel.size > 0 ? [step.parcel.key] : []));

import type { Analysis } from "../build/analysis.ts";
import { parseEdgeFreshness } from "../build/headers.ts";
import { byText, type ObjectKey, type Sha256 } from "../model/names.ts";
import type { RecordedParcel } from "../model/parcel.ts";
import { stepsOf, type Plan } from "../model/plan.ts";
import type { Waybill } from "../model/release.ts";
import type { ExplainedParcel } from "../build/parcels.ts";

/** An earlier release, as if it were a build. */
export interface WayBack {
  readonly analysis: Analysis;
  /** Keys that can't come back: their content was removed for good. */
  readonly leftOut: readonly ObjectKey[];
}

/**
 * What a destination is to hold again: a release with the headers that were recorded. Release 0 is no release but what
 * others had put where this tool has written: it is laid over the current one and removes nothing.
 */
export function toWayBack(
  release: Waybill,
  current: Waybill | undefined,
  { forgotten, ownsWebsite }: { readonly forgotten: ReadonlySet<Sha256>; readonly ownsWebsite: boolean },
): WayBack {
  const base = release.release === 0 ? (current?.parcels ?? []) : [];
  const wanted = new Map([...base, ...release.parcels].map((parcel) => [parcel.key, parcel]));
  const all = [...wanted.values()].sort((a, b) => byText(a.key, b.key));
  const keepsRouting = release.release === 0 || !ownsWebsite;
  const routing = (keepsRouting ? current?.routing : release.routing) ?? [];
  return {
    analysis: {
      parcels: all.filter(({ storedHash }) => !forgotten.has(storedHash)).map(toExplained),
      graph: { references: [] },
      routing,
      problems: [],
    },
    leftOut: all.filter(({ storedHash }) => forgotten.has(storedHash)).map(({ key }) => key),
  };
}

function toExplained(recorded: RecordedParcel): ExplainedParcel {
  const { key, hash, storedHash, size, headers, role, aliasOf, redirectsTo, isLoaded } = recorded;
  return {
    ...{ key, hash, storedHash, size, headers, role },
    ...(aliasOf === undefined ? {} : { aliasOf }),
    ...(redirectsTo === undefined ? {} : { redirectsTo }),
    ...(isLoaded === undefined ? {} : { isLoaded }),
    roleReason: { code: "recorded" },
    freshness: { browser: 0, edge: parseEdgeFreshness(headers["cache-control"]) ?? 0 },
    trace: [],
  };
}

/** What a way back would have to send: contents that stand nowhere any more. */
export const findGoneContents = ({ phases }: Plan): ObjectKey[] =>
  phases
    .flatMap(stepsOf)
    .flatMap((step) => (step.do === "send" && step.parcel.size > 0 ? [step.parcel.key] : []));

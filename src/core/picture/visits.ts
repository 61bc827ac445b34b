import { createFirstVisitFinder } from "../build/first-visit.ts";
import type { ObjectKey } from "../model/names.ts";
import { isHtml, type Parcel } from "../model/parcel.ts";
import type { ReferenceGraph } from "../model/reference.ts";
import type { Waybill } from "../model/release.ts";
import { isPageLike } from "../model/role.ts";
import type { FirstVisit } from "../model/wanted.ts";
import type { PictureFile, PictureVisit, VisitLoad } from "./picture.ts";

/** How many of the heaviest pages are shown besides the entry page. */
const MOST_HEAVY = 5;

const WAS: Readonly<Partial<Record<PictureFile["fate"], VisitLoad["is"]>>> = {
  new: "new",
  missing: "new",
  moved: "same",
  relabelled: "same",
  unchanged: "same",
  replaced: "changed",
  drifted: "changed",
};

/** First visits to the entry page and to the heaviest others. @param before what was recorded of the release before */
export function toPictureVisits(
  files: readonly PictureFile[],
  parcels: readonly Parcel[],
  graph: ReferenceGraph,
  before: FirstVisit | undefined,
): PictureVisit[] {
  const find = createFirstVisitFinder(graph);
  const byKey = new Map(files.map((file) => [file.key, file]));
  const pages = parcels.filter(
    (parcel) =>
      isPageLike(parcel.role) && parcel.role !== "notFound" && parcel.aliasOf === undefined && isHtml(parcel),
  );
  const visits = pages.map(({ key, role }) => {
    const loads = [...find(key)].flatMap((loaded): VisitLoad[] => {
      const file = byKey.get(loaded);
      return file ? [{ key: loaded, wire: file.wire ?? file.size, is: WAS[file.fate] ?? "unknown" }] : [];
    });
    return { page: key, isEntry: role === "entry", loads, wire: sum(loads) };
  });
  const [entry] = visits.filter(({ isEntry }) => isEntry);
  const heavy = visits
    .filter((visit) => visit !== entry)
    .sort((a, b) => b.wire - a.wire)
    .slice(0, MOST_HEAVY);
  return [...(entry ? [entry] : []), ...heavy].map(({ page, loads, wire }) => ({
    ...{ page, wire, loads },
    before: before?.page === page ? toBefore(loads, before) : undefined,
  }));
}

/** The first visit that a release has recorded, against the one before it. */
export function toRecordedVisit(
  { firstVisit, parcels }: Waybill,
  before: Waybill | undefined,
): PictureVisit[] {
  if (!firstVisit?.loads) return [];
  const { page, wire } = firstVisit;
  const hashes = (waybill: Waybill | undefined) =>
    new Map((waybill?.parcels ?? []).map(({ key, storedHash }) => [key, storedHash]));
  const [now, then] = [hashes({ parcels } as Waybill), hashes(before)];
  const judge = (key: ObjectKey): VisitLoad["is"] => {
    if (!before) return "unknown";
    const earlier = then.get(key);
    return earlier === undefined ? "new" : earlier === now.get(key) ? "same" : "changed";
  };
  const loads = firstVisit.loads.map((one) => ({ ...one, is: judge(one.key) }));
  const earlier = before?.firstVisit;
  return [{ page, wire, loads, before: earlier?.page === page ? toBefore(loads, earlier) : undefined }];
}

/** What was loaded before, each with what has become of it. */
function toBefore(
  loads: readonly VisitLoad[],
  { wire, loads: then = [] }: FirstVisit,
): NonNullable<PictureVisit["before"]> {
  const now = new Map(loads.map(({ key, is }) => [key, is]));
  return { wire, loads: then.map((one) => ({ ...one, is: now.get(one.key) ?? "gone" })) };
}

const sum = (loads: readonly VisitLoad[]): number => loads.reduce((total, { wire }) => total + wire, 0);

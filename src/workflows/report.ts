import { toPictureFiles, toReleaseFiles } from "../core/picture/files.ts";
import { toPictureEdges } from "../core/picture/takes.ts";
import { toPictureVisits, toRecordedVisit } from "../core/picture/visits.ts";
import { toReleaseSizes } from "../core/picture/weights.ts";
import type { Waybill } from "../core/model/release.ts";
import { readPointer, tryReadWaybill } from "../gather/read-destination.ts";
import { weighParcels } from "../gather/weigh.ts";
import type { DeliveryResult } from "../results/delivery.ts";
import { toProblemResult } from "../results/problem.ts";
import type { Report } from "../results/report.ts";
import type { BuildOutlook } from "./outlook.ts";
import type { Delivery, Place } from "./run.ts";
import { readRelease } from "./releases.ts";

/** What a report shows of a delivery, or of one that would be. */
export async function pictureDelivery(
  { place, source, run }: Delivery,
  outlook: BuildOutlook | undefined,
  result: DeliveryResult,
): Promise<Report> {
  if (!outlook) throw new Error("a delivery decides before it ends");
  const { wanted, state, decision, findings } = outlook;
  const { plan } = decision;
  const files = toPictureFiles(decision, await weighParcels(source, wanted.parcels));
  const at = run.clock.now().toISOString();
  const asked = [...plan.unmaskings, ...plan.invalidations, ...plan.lateInvalidations];
  const isPlanned = result.dryRun;
  return {
    kind: isPlanned ? "planned" : "delivered",
    ...{ site: place.site, destination: place.destination, url: place.siteRules.url, at },
    ...{ release: result.release, previous: result.previous },
    ...run.author,
    files,
    visits: toPictureVisits(files, wanted.parcels, findings.graph, state.waybill?.firstVisit),
    edges: toPictureEdges(asked, wanted.parcels, place.siteRules.addressRules),
    isConfirmed: isPlanned ? undefined : result.invalidation.confirmed,
    releases: [
      ...toReleaseSizes(await readAll(place, [])),
      ...(isPlanned && result.release !== result.previous
        ? toReleaseSizes([
            {
              release: plan.release,
              at,
              parcels: wanted.parcels,
              ...(wanted.firstVisit && { firstVisit: wanted.firstVisit }),
            },
          ])
        : []),
    ],
    problems: findings.problems.map(toProblemResult),
  };
}

/** What a report shows of a release that was made before. Throws `no-such-release`. */
export async function pictureRelease(place: Place, name: string): Promise<Report> {
  const release = await readRelease(place, name);
  const all = await readAll(place, [release]);
  const before = all.find((one) => one.release === release.previous);
  const { site, at, by, commit, note, previous } = release;
  return {
    kind: "release",
    ...{ site, destination: place.destination, url: place.siteRules.url },
    ...{ release: release.release, previous: before ? previous : 0, at, by, commit, note },
    isCutOff: !before && previous > 0,
    files: toReleaseFiles(release, before),
    visits: toRecordedVisit(release, before),
    releases: toReleaseSizes(all),
  };
}

/** All that are retained, as far as their records can be read. @param known those that have been read already */
async function readAll({ store }: Place, known: readonly Waybill[]): Promise<Waybill[]> {
  const retained = (await readPointer(store))?.pointer.retained ?? [];
  const others = retained.filter(({ release }) => !known.some((one) => one.release === release));
  const read = await Promise.all(others.map((release) => tryReadWaybill(store, release)));
  return [...known, ...read.filter((waybill) => waybill !== undefined)];
}

import type { ObjectKey } from "../model/names.ts";
import type { Pointer, Waybill } from "../model/release.ts";

/**
 * Workers and version files of a release that were still to be written when it was recorded, and have not been since: an
 * edge has not confirmed what they would send clients to. Only the current release can have some.
 */
export const selectHeldBack = (
  { run, release, parcels }: Pick<Waybill, "run" | "release" | "parcels">,
  pointer: Pick<Pointer, "run" | "release" | "announced">,
): ObjectKey[] =>
  run === pointer.run && release === pointer.release
    ? parcels
        .filter(({ key, etag }) => etag === undefined && pointer.announced[key] === undefined)
        .map(({ key }) => key)
    : [];

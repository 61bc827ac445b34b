import { findRelease, listReleaseNames } from "../core/history/release-names.ts";
import { OperatorError } from "../core/model/failure.ts";
import type { Pointer, Waybill } from "../core/model/release.ts";
import { readWaybill } from "../gather/read-destination.ts";
import type { ObjectStore } from "../ports/object-store.ts";

/**
 * The release that a person means by a number, `current` or `previous`. Throws `no-such-release`, `record-unreadable`.
 * @param known a waybill that was read already
 */
export async function readNamed(
  store: ObjectStore,
  pointer: Pointer,
  name: string,
  known?: Waybill,
): Promise<Waybill> {
  const found = findRelease(name, pointer);
  if (!found) throw new OperatorError("no-such-release", { name, names: listReleaseNames(pointer) });
  return known && found.release === known.release ? known : readWaybill(store, found);
}

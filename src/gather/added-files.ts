import { lstatSync, realpathSync, type BigIntStats } from "node:fs";
import { basename } from "node:path";
import { OperatorError } from "../core/model/failure.ts";
import { NEVER_SHIP, toStamp, type ScannedFile } from "./scan-build.ts";

/** A file that goes with the build to one destination, from wherever it stands. */
export interface AddedFile {
  /** An absolute path. */
  readonly from: string;
  /** Its path in the build; a file that the build has there is left behind. */
  readonly as: string;
}

/** Throws `added-unfit` where one is not there, is no file, or must never be shipped by its name. */
export const scanAdded = (added: readonly AddedFile[]): ScannedFile[] => added.map(scanOne);

function scanOne({ from, as }: AddedFile): ScannedFile {
  const { place, stat } = look({ from, as });
  if (!stat.isFile()) throw new OperatorError("added-unfit", { from, as, why: "no-file" });
  const names = [basename(from), basename(place), ...as.split("/")];
  if (names.some((name) => NEVER_SHIP.test(name)))
    throw new OperatorError("added-unfit", { from, as, why: "never-ship" });
  return { path: as, place, ...toStamp(stat) };
}

function look({ from, as }: AddedFile): { readonly place: string; readonly stat: BigIntStats } {
  try {
    const place = realpathSync(from);
    return { place, stat: lstatSync(place, { bigint: true }) };
  } catch (error) {
    const { code = "" } = error as NodeJS.ErrnoException;
    const why = code === "ENOENT" || code === "ENOTDIR" ? "missing" : "unreadable";
    throw new OperatorError("added-unfit", { from, as, why, code }, {}, error);
  }
}

import { matcher } from "../model/glob.ts";
import type { ObjectKey } from "../model/names.ts";
import { isAssetLike } from "../model/role.ts";
import type { Comparison } from "./compare.ts";

/** No page loads a source map: only the tools of developers do. */
const SOURCE_MAP = /\.map(\.(br|gz))?$/i;

/**
 * Assets that were public and are left out of the build now. A source map goes with the delivery, as pages and documents do
 * in any case, instead of standing on for open tabs; anything else stays for as long as a page of an earlier release may load it.
 * @param exclude the globs of files that stay behind
 */
export function withdraw(
  comparison: Comparison,
  exclude: readonly string[],
): { readonly comparison: Comparison; readonly withdrawn: Withdrawn } {
  const matchers = exclude.map(matcher);
  const isLeftOut = (key: ObjectKey): boolean => matchers.some((matches) => matches(key));
  const left = comparison.stale.filter(
    ({ recorded: { key, role, lastIn } }) => lastIn === undefined && isAssetLike(role) && isLeftOut(key),
  );
  const going = new Set(left.map(({ recorded }) => recorded.key).filter((key) => SOURCE_MAP.test(key)));
  const staying = left.map(({ recorded }) => recorded.key).filter((key) => !going.has(key));
  if (going.size === 0) return { comparison, withdrawn: { going: [], staying } };
  const stale = comparison.stale.map((object) =>
    going.has(object.recorded.key)
      ? { ...object, recorded: { ...object.recorded, role: "document" as const } }
      : object,
  );
  return { comparison: { ...comparison, stale }, withdrawn: { going: [...going], staying } };
}

/** Assets of the live release that the settings leave out now. */
export interface Withdrawn {
  /** They go with the delivery. */
  readonly going: readonly ObjectKey[];
  /** They stand on for open tabs. */
  readonly staying: readonly ObjectKey[];
}

import type { Sha256 } from "../core/model/names.ts";
import type { ForgottenContent } from "../core/history/prune.ts";
import type { ObjectVersion, ObjectVersions } from "../ports/object-store.ts";
import { hashStream } from "./hash-files.ts";

/**
 * What a bucket keeps of these contents besides what stands: every earlier version below the prefix that has just their
 * bytes, under whatever name. A version with a known ETag needs no reading; one of the same size is read. Throws `StoreError`
 * of the kind `denied` where this identity may not look.
 */
export async function findVersions(
  versions: ObjectVersions,
  contents: ReadonlyMap<Sha256, ForgottenContent>,
): Promise<ObjectVersion[]> {
  const sizes = new Set([...contents.values()].map(({ size }) => size));
  const found: ObjectVersion[] = [];
  for await (const page of versions.list())
    for (const version of page) {
      if (version.isCurrent || !sizes.has(version.size)) continue;
      if (await holds(version)) found.push(version);
    }
  return found;

  async function holds(version: ObjectVersion): Promise<boolean> {
    const isKnown = [...contents.values()].some(
      ({ size, etags }) => size === version.size && etags.has(version.etag),
    );
    if (isKnown) return true;
    const read = await versions.read(version);
    return read !== undefined && contents.has(await hashStream(read.body));
  }
}

import { hash } from "node:crypto";
import { findPageNeeds, joinNeeds, NEEDING } from "../core/build/page-needs.ts";
import type { PageNeeds } from "../core/model/page-needs.ts";
import { isHtml, type Parcel } from "../core/model/parcel.ts";
import type { BuildSource } from "../ports/build-source.ts";

/** Larger files are not held in memory. */
const MOST_BYTES = 8 * 1024 * 1024;

/** What the pages of a build load and run, with their styles and scripts. @param origin the site's own, where it is known */
export function readPageNeeds(
  source: Pick<BuildSource, "open">,
  parcels: readonly Parcel[],
  origin: string | undefined,
): PageNeeds {
  const tools = { hash: (text: string) => hash("sha256", text, "base64"), origin };
  const looked = new Map<string, PageNeeds>();
  for (const parcel of parcels) {
    const { key, hash: content, size, aliasOf, redirectsTo } = parcel;
    const isPage = isHtml(parcel);
    if ((!isPage && !NEEDING.test(key)) || size > MOST_BYTES || (aliasOf ?? redirectsTo) !== undefined)
      continue;
    const name = isPage ? "page.html" : key;
    const id = `${content} ${name.slice(name.lastIndexOf("."))}`;
    if (looked.has(id)) continue;
    const bytes = source.open(parcel).open();
    if (bytes instanceof Uint8Array)
      looked.set(id, findPageNeeds(name, Buffer.from(bytes).toString("utf8"), tools));
  }
  return joinNeeds(looked.values());
}

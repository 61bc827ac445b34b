import type { Readable } from "node:stream";
import type { ObjectKey, Sha256 } from "../../../core/model/names.ts";
import type { StoreAction } from "../../../core/model/store-action.ts";
import { StoreError, type Condition, type ListPage } from "../../../ports/object-store.ts";
import type { S3Settings } from "./client.ts";
import { toStoreError } from "./failures.ts";
import { unquoted } from "./headers.ts";
import { childrenOf, textOf, type XmlElement } from "./xml.ts";

/** The SHA-256 of the whole object, where the store keeps one and it is not made of those of parts. */
export function toHash(fields: Readonly<Record<string, string>>): Sha256 | undefined {
  const sum = fields["x-amz-checksum-sha256"];
  const isWhole = sum !== undefined && fields["x-amz-checksum-type"] !== "COMPOSITE" && !sum.includes("-");
  return isWhole ? Buffer.from(sum, "base64").toString("hex") : undefined;
}

/**
 * A listed key below the prefix. A store that lists what was not asked for is not believed: with the prefix cut off, the name
 * would be taken for one of this site's. Throws `StoreError`.
 */
export function toOwnKey(listed: string | undefined, prefix: string, encoded: boolean): ObjectKey {
  const key = encoded ? decodeName(listed) : listed;
  if (key?.startsWith(prefix) === true) return key.slice(prefix.length);
  throw new StoreError("other", `it lists ${listed ?? "a name that is none"}, which is not below ${prefix}`, {
    action: { do: "list" },
    code: "wrong list",
  });
}

/** Pages without a single name, one after the other, as a store with many removed versions may send them. */
const MOST_EMPTY_PAGES = 1000;

/** Ends a list that never would: one that comes back to where it was, or goes on without a name. */
export class PageWatch {
  private readonly seen = new Set<string>();
  private empty = 0;

  /**
   * Throws `StoreError` where the list does not go on.
   * @param next where the next page begins; undefined: this was the last
   */
  watch(next: string | undefined, names: number): void {
    if (next === undefined) return;
    this.empty = names === 0 ? this.empty + 1 : 0;
    if (this.seen.has(next) || this.empty > MOST_EMPTY_PAGES)
      throw new StoreError("other", "its list comes back to where it was, and would never end", {
        action: { do: "list" },
        code: "endless list",
      });
    this.seen.add(next);
  }
}

/** The protocol's url encoding writes a space as '+'; a plus sign itself is %2B. @returns undefined where it is broken */
export function decodeName(encoded: string | undefined): string | undefined {
  try {
    return encoded === undefined ? undefined : decodeURIComponent(encoded.replace(/\+/g, " "));
  } catch {
    return undefined;
  }
}

/** A page of a list, with keys below the prefix, and where the next one begins. Throws `StoreError`. */
export function readListPage(
  root: XmlElement | undefined,
  prefix: string,
): { readonly objects: ListPage["objects"]; readonly next: string | undefined } {
  if (root?.name !== "ListBucketResult")
    throw new StoreError("other", "it answers the question for a list with something else", {
      action: { do: "list" },
      code: "wrong list",
    });
  const isEncoded = textOf(root, "EncodingType") === "url";
  return {
    objects: childrenOf(root, "Contents").map((element) => toListed(element, prefix, isEncoded)),
    next: textOf(root, "IsTruncated") === "true" ? textOf(root, "NextContinuationToken") : undefined,
  };
}

function toListed({ children }: XmlElement, prefix: string, isEncoded: boolean): ListPage["objects"][number] {
  const texts: Record<string, string> = {};
  for (const { name, text } of children) texts[name] ??= text;
  const modifiedMs = Date.parse(texts.LastModified ?? "");
  return {
    key: toOwnKey(texts.Key, prefix, isEncoded),
    size: Number(texts.Size ?? 0),
    etag: unquoted(texts.ETag),
    modifiedMs: Number.isNaN(modifiedMs) ? 0 : modifiedMs,
  };
}

/** The condition of a write as a request says it (RFC 9110 §13.1). */
export function toConditionFields(condition: Condition | undefined): Record<string, string> {
  if (condition === undefined) return {};
  // Without quotes: some stores compare the header with the bare ETag, and all accept it so.
  return "ifAbsent" in condition ? { "if-none-match": "*" } : { "if-match": condition.ifEtag };
}

/** The same as the storage SDK takes it. */
export function toConditions(condition: Condition | undefined): { IfNoneMatch?: string; IfMatch?: string } {
  if (condition === undefined) return {};
  return "ifAbsent" in condition ? { IfNoneMatch: "*" } : { IfMatch: condition.ifEtag };
}

/** A body whose connection breaks fails as every other call does. */
export async function* guardBody(
  body: Readable,
  action: StoreAction,
  settings: S3Settings,
): AsyncIterable<Uint8Array> {
  try {
    for await (const chunk of body) yield chunk as Uint8Array;
  } catch (error) {
    throw toStoreError(error, action, settings);
  }
}

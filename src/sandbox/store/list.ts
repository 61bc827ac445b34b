import type { ObjectTable, StoredObject } from "./object-table.ts";
import { toXml } from "./xml.ts";

/** Answers a ListObjectsV2: objects and, with a delimiter, common prefixes, page by page in the order of UTF-8 keys. */
export function listObjects(table: ObjectTable, query: URLSearchParams): string {
  const prefix = query.get("prefix") ?? "";
  const delimiter = query.get("delimiter") ?? "";
  const most = Math.min(1000, Number(query.get("max-keys") ?? 1000));
  const token = query.get("continuation-token");
  const from = token === null ? { after: query.get("start-after") ?? "", isGroup: false } : parseToken(token);
  const encode = query.get("encoding-type") === "url" ? encodeKey : (key: string): string => key;

  const contents: StoredObject[] = [];
  const common = new Set<string>();
  let last: Place = from;
  let truncated = false;
  for (const key of table.keys()) {
    if (!key.startsWith(prefix) || !isAfter(key, from)) continue;
    const group = groupOf(key, prefix, delimiter);
    if (group !== undefined && common.has(group)) continue;
    if (contents.length + common.size >= most) {
      truncated = true;
      break;
    }
    if (group === undefined) contents.push(table.get(key) as StoredObject);
    else common.add(group);
    last = { after: group ?? key, isGroup: group !== undefined };
  }
  return toXml("ListBucketResult", {
    Name: table.bucket,
    Prefix: encode(prefix),
    ...(delimiter === "" ? {} : { Delimiter: encode(delimiter) }),
    KeyCount: contents.length + common.size,
    MaxKeys: most,
    ...(query.has("encoding-type") ? { EncodingType: "url" } : {}),
    IsTruncated: truncated,
    ...(truncated ? { NextContinuationToken: toToken(last) } : {}),
    Contents: contents.map(({ key, size, etag, modifiedMs }) => ({
      Key: encode(key),
      LastModified: new Date(modifiedMs).toISOString(),
      ETag: `"${etag}"`,
      Size: size,
      StorageClass: "STANDARD",
    })),
    CommonPrefixes: [...common].map((group) => ({ Prefix: encode(group) })),
  });
}

/** Where a page ended; one that ended with a common prefix goes on behind all keys of that prefix. */
interface Place {
  readonly after: string;
  readonly isGroup: boolean;
}

const toToken = ({ after, isGroup }: Place): string =>
  Buffer.from((isGroup ? "g" : "k") + after).toString("base64url");

function parseToken(token: string): Place {
  const text = Buffer.from(token, "base64url").toString("utf8");
  return { after: text.slice(1), isGroup: text.startsWith("g") };
}

const isAfter = (key: string, { after, isGroup }: Place): boolean =>
  after === "" ||
  (Buffer.compare(Buffer.from(key), Buffer.from(after)) > 0 && !(isGroup && key.startsWith(after)));

function groupOf(key: string, prefix: string, delimiter: string): string | undefined {
  if (delimiter === "") return undefined;
  const end = key.indexOf(delimiter, prefix.length);
  return end < 0 ? undefined : key.slice(0, end + delimiter.length);
}

/** The protocol's url encoding: a space is '+', a slash stays. */
export const encodeKey = (key: string): string =>
  encodeURIComponent(key).replace(/%20/g, "+").replace(/%2F/g, "/");

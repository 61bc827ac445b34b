import { ProtocolError } from "./failure.ts";
import { NO_VERSION, type ObjectTable } from "./object-table.ts";
import { answerXml, type Call } from "./operations.ts";
import { encodeKey } from "./list.ts";
import { toXml } from "./xml.ts";

/** Answers a ListObjectVersions, all on one page: a sandbox is small. Markers of removals are left out. */
export function listVersions(table: ObjectTable, query: URLSearchParams): string {
  const prefix = query.get("prefix") ?? "";
  const encode = query.get("encoding-type") === "url" ? encodeKey : (key: string): string => key;
  return toXml("ListVersionsResult", {
    Name: table.bucket,
    Prefix: encode(prefix),
    ...(query.has("encoding-type") ? { EncodingType: "url" } : {}),
    IsTruncated: false,
    Version: table
      .listVersions(prefix)
      .map(({ object, isCurrent }) => ({
        Key: encode(object.key),
        VersionId: object.version ?? NO_VERSION,
        IsLatest: isCurrent,
        LastModified: new Date(object.modifiedMs).toISOString(),
        ETag: `"${object.etag}"`,
        Size: object.size,
      })),
  });
}

/** Answers whether the bucket locks its objects. */
export function answerObjectLock(call: Call): void {
  if (!call.traits.locksObjects)
    throw new ProtocolError(
      404,
      "ObjectLockConfigurationNotFoundError",
      "Object Lock configuration does not exist for this bucket",
    );
  answerXml(call, toXml("ObjectLockConfiguration", { ObjectLockEnabled: "Enabled" }));
}

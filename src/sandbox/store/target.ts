import type { IncomingMessage } from "node:http";
import { SETTINGS_QUERIES } from "./bucket-settings.ts";

/** What a request is about, percent-decoded, path style: `/BUCKET/KEY?QUERY`. */
export interface Target {
  readonly path: string;
  readonly bucket: string;
  readonly key: string;
  readonly query: URLSearchParams;
}

/** @returns the target of a request; empty where it names none */
export function parseTarget(request: IncomingMessage): Target {
  const [path = "/", query = ""] = (request.url ?? "/").split(/\?(.*)/s);
  const [, bucket = "", key = ""] = /^\/([^/]*)\/?(.*)$/s.exec(path) ?? [];
  return { path, bucket: safeDecode(bucket), key: safeDecode(key), query: new URLSearchParams(query) };
}

/** @returns the text decoded, or as it is where it is no percent-encoding */
export function safeDecode(text: string): string {
  try {
    return decodeURIComponent(text);
  } catch {
    return text;
  }
}

/** The protocol's names of what the sandbox answers, and some of its own. */
export type Operation = ReturnType<typeof nameOperation>;

/** The protocol's name for what a request asks. */
export function nameOperation({ method, headers }: IncomingMessage, { bucket, key, query }: Target) {
  const isSettings = SETTINGS_QUERIES.some((name) => query.has(name));
  if (bucket === "") return method === "GET" ? "ListBuckets" : method === "POST" ? "LendKeys" : "Unknown";
  if (key === "") {
    if (method === "HEAD") return "HeadBucket";
    if (method === "GET")
      return isSettings
        ? "GetBucketSettings"
        : query.has("uploads")
          ? "ListMultipartUploads"
          : query.has("versions")
            ? "ListObjectVersions"
            : query.has("object-lock")
              ? "GetObjectLock"
              : "ListObjectsV2";
    if (method === "PUT") return isSettings ? "PutBucketSettings" : "CreateBucket";
    if (method === "DELETE" && isSettings) return "DeleteBucketSettings";
    return method === "POST" && query.has("delete") ? "DeleteObjects" : "Unknown";
  }
  if (query.has("uploadId")) {
    return method === "PUT"
      ? "UploadPart"
      : method === "POST"
        ? "CompleteMultipartUpload"
        : method === "DELETE"
          ? "AbortMultipartUpload"
          : "Unknown";
  }
  if (method === "POST") return query.has("uploads") ? "CreateMultipartUpload" : "Unknown";
  if (method === "PUT") return headers["x-amz-copy-source"] === undefined ? "PutObject" : "CopyObject";
  return method === "GET"
    ? "GetObject"
    : method === "HEAD"
      ? "HeadObject"
      : method === "DELETE"
        ? "DeleteObject"
        : "Unknown";
}

import { readFile } from "node:fs/promises";
import type { ObjectTable, StoredObject } from "../store/object-table.ts";

/** How the endpoint that the edge reads from resolves addresses. */
export type OriginKind = "website" | "objects";

export interface OriginAnswer {
  readonly status: number;
  readonly headers: Readonly<Record<string, string>>;
  readonly body: Buffer;
}

export interface OriginOptions {
  readonly kind: OriginKind;
  /** Names that stand for a folder, for a missing page, and for `/` where the endpoint resolves none by itself. */
  readonly index: string;
  readonly notFound: string;
  /** An unknown address is answered with the index page. */
  readonly clientRoutes: boolean;
}

/**
 * What the store's endpoint answers to the edge. A website endpoint resolves index documents, sends `/news` on to
 * `/news/` and answers with its error document; an objects endpoint knows exact keys only, and the edge itself its root.
 */
export async function askOrigin(
  table: ObjectTable,
  path: string,
  ifNoneMatch: string | undefined,
  options: OriginOptions,
): Promise<OriginAnswer> {
  const key = decodePath(path);
  const routed = options.kind === "website" ? findRoute(table, key) : undefined;
  if (routed) return routed;
  const found = findObject(table, key, options);
  if (found?.redirect !== undefined && options.kind === "website")
    return { status: 301, headers: { ...found.headers, location: found.redirect }, body: Buffer.alloc(0) };
  if (found) return toAnswer(table, found, 200, ifNoneMatch);
  if (
    options.kind === "website" &&
    key !== "" &&
    !key.endsWith("/") &&
    table.get(`${key}/${options.index}`)
  ) {
    return { status: 302, headers: { location: `${path}/` }, body: Buffer.alloc(0) };
  }
  const fallback = table.get(options.clientRoutes ? options.index : options.notFound);
  if (fallback && (options.kind === "website" || options.clientRoutes))
    return toAnswer(table, fallback, options.clientRoutes ? 200 : 404);
  return { status: 404, headers: { "content-type": "text/plain" }, body: Buffer.from("not found\n") };
}

/** A website endpoint's routing rules count before what stands there; the first that matches. */
function findRoute(table: ObjectTable, key: string): OriginAnswer | undefined {
  const rule = table.settings.website?.rules?.find(({ KeyPrefixEquals }) => key.startsWith(KeyPrefixEquals));
  if (!rule) return undefined;
  const { KeyPrefixEquals, ReplaceKeyPrefixWith, ReplaceKeyWith, HostName, Protocol, HttpRedirectCode } =
    rule;
  const target =
    ReplaceKeyWith ??
    (ReplaceKeyPrefixWith === undefined ? key : ReplaceKeyPrefixWith + key.slice(KeyPrefixEquals.length));
  const location = `${HostName === undefined ? "" : `${Protocol ?? "http"}://${HostName}`}/${target}`;
  return { status: Number(HttpRedirectCode ?? 301), headers: { location }, body: Buffer.alloc(0) };
}

function findObject(
  table: ObjectTable,
  key: string,
  { kind, index }: OriginOptions,
): StoredObject | undefined {
  if (key.startsWith(".courier/")) return undefined;
  if (key === "") return table.get(index);
  return kind === "website" && key.endsWith("/") ? table.get(key + index) : table.get(key);
}

async function toAnswer(
  table: ObjectTable,
  object: StoredObject,
  status: number,
  ifNoneMatch?: string,
): Promise<OriginAnswer> {
  const { etag, modifiedMs, blob, headers } = object;
  const facts = { ...headers, etag: `"${etag}"`, "last-modified": new Date(modifiedMs).toUTCString() };
  if (status === 200 && ifNoneMatch === `"${etag}"`)
    return { status: 304, headers: facts, body: Buffer.alloc(0) };
  try {
    return { status, headers: facts, body: await readFile(table.blobPath(blob)) };
  } catch {
    // Overwritten between the look and the read: what stands now is as right an answer.
    const next = table.get(object.key);
    return next ? toAnswer(table, next, status) : { status: 404, headers: {}, body: Buffer.alloc(0) };
  }
}

function decodePath(path: string): string {
  try {
    return decodeURIComponent(path.slice(1));
  } catch {
    return path.slice(1);
  }
}

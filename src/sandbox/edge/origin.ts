import { readFile } from "node:fs/promises";
import { ProtocolError } from "../store/failure.ts";
import { toErrorXml } from "../store/xml.ts";
import type { Traits } from "./traits.ts";
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
  readonly traits: Traits;
  /** Whether the store lets this edge read a key; absent: every key but the tool's own part. */
  readonly mayRead?: ((key: string) => boolean) | undefined;
}

/**
 * What the store's endpoint answers to the edge. A website endpoint resolves index documents, sends `/news` on to
 * `/news/` and answers with its error document; an objects endpoint knows exact keys only, and the edge itself its root.
 */
export async function askOrigin(
  findTable: () => ObjectTable,
  path: string,
  ifNoneMatch: string | undefined,
  options: OriginOptions,
): Promise<OriginAnswer> {
  const { traits } = options;
  const table = findTableOrRefusal(findTable);
  if ("status" in table) return table;
  if (traits.originDenied) return toDenial();
  const key = traits.originPrefix + decodePath(path);
  if (options.mayRead)
    return askAsConfigured(table, path, ifNoneMatch, { ...options, mayRead: options.mayRead });
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
  const fallback = table.get(traits.originPrefix + (options.clientRoutes ? options.index : options.notFound));
  // Where the endpoint has no error document, the edge itself answers with the page.
  if (fallback) return toAnswer(table, fallback, options.clientRoutes ? 200 : 404);
  return toFailure(404, "NoSuchKey", "The specified key does not exist.", { Key: key });
}

/** A bucket that is not there is answered like anything that is missing. */
function findTableOrRefusal(findTable: () => ObjectTable): ObjectTable | OriginAnswer {
  try {
    return findTable();
  } catch (error) {
    if (!(error instanceof ProtocolError)) throw error;
    return toFailure(error.status, error.code, error.message);
  }
}

type ConfiguredOptions = OriginOptions & { readonly mayRead: (key: string) => boolean };

/** The same as the bucket is set up: who may read, and which documents a website endpoint has. */
async function askAsConfigured(
  table: ObjectTable,
  path: string,
  ifNoneMatch: string | undefined,
  options: ConfiguredOptions,
): Promise<OriginAnswer> {
  const { kind, traits, mayRead } = options;
  const { website } = table.settings;
  const key = traits.originPrefix + decodePath(path);
  if (kind === "website" && !website)
    return toFailure(
      404,
      "NoSuchWebsiteConfiguration",
      "The specified bucket does not have a website configuration",
    );
  const index = website?.index ?? options.index;
  const isFolder = key === "" || key.endsWith("/");
  const isRoot = key === traits.originPrefix && !traits.noRootDocument;
  const named = isFolder && (kind === "website" || isRoot) ? key + index : key;
  const found = table.get(named);
  if (found && mayRead(named)) {
    const { redirect } = found;
    if (redirect !== undefined && kind === "website")
      return { status: 301, headers: { ...found.headers, location: redirect }, body: Buffer.alloc(0) };
    return toAnswer(table, found, 200, ifNoneMatch);
  }
  if (kind === "website" && !isFolder && !found && mayRead(`${key}/${index}`) && table.get(`${key}/${index}`))
    return { status: 302, headers: { location: `${path}/` }, body: Buffer.alloc(0) };
  // Who may not list is not told what is missing: both are 403.
  const error = kind === "website" ? website?.error : undefined;
  const page = error === undefined || !mayRead(error) ? undefined : table.get(error);
  return page ? toAnswer(table, page, 403) : toDenial();
}

const toDenial = (): OriginAnswer => toFailure(403, "AccessDenied", "Access Denied");

const toFailure = (status: number, code: string, message: string, more: object = {}): OriginAnswer => ({
  status,
  headers: { "content-type": "application/xml" },
  body: Buffer.from(toErrorXml({ Code: code, Message: message, ...more })),
});

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
  { kind, index, traits }: OriginOptions,
): StoredObject | undefined {
  // What the tool writes down, of this destination and of any below or beside it.
  if (/(^|\/)\.courier\//.test(key)) return undefined;
  if (key === traits.originPrefix && !traits.noRootDocument) return table.get(key + index);
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

import { readFile } from "node:fs/promises";
import { findAnswer, type AnsweringEndpoint } from "../../core/answers/find-answer.ts";
import type { RoutingRule } from "../../core/model/website.ts";
import { ProtocolError } from "../store/failure.ts";
import { toErrorXml } from "../store/xml.ts";
import type { Traits } from "./traits.ts";
import type { ObjectTable, SandboxRoutingRule, StoredObject } from "../store/object-table.ts";

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

/** What the edge asks for. */
export interface OriginRequest {
  readonly path: string;
  readonly ifNoneMatch: string | undefined;
  /** The preview that the visitor's host name selects; undefined: none. */
  readonly preview: string | undefined;
}

const PREVIEW_HOST = /^([a-z0-9-]+)\.preview\.localhost\.?(:\d+)?$/i;
const toPreviewPrefix = (name: string): string => `previews/${name}/`;

/** The preview that a host name selects: `spring-fares.preview.localhost`. */
export const findPreview = (host: string | undefined): string | undefined =>
  PREVIEW_HOST.exec(host ?? "")?.[1]?.toLowerCase();

/** What the store's endpoint answers to the edge, which itself answers with a page where the endpoint has no error document. */
export async function askOrigin(
  findTable: () => ObjectTable,
  { path, ifNoneMatch, preview }: OriginRequest,
  given: OriginOptions,
): Promise<OriginAnswer> {
  const { traits } = given;
  const options =
    preview === undefined
      ? given
      : { ...given, traits: { ...traits, originPrefix: toPreviewPrefix(preview) } };
  const table = findTableOrRefusal(findTable);
  if ("status" in table) return table;
  if (options.traits.originDenied) return toDenial();
  const { mayRead } = options;
  if (mayRead && options.kind === "website" && !table.settings.website)
    return toFailure(
      404,
      "NoSuchWebsiteConfiguration",
      "The specified bucket does not have a website configuration",
    );
  const found = findAnswer(path, toEndpoint(table, options));
  switch (found.kind) {
    case "object":
      return toAnswer(table, found.object, found.status, ifNoneMatch);
    case "redirect":
      return {
        status: found.status,
        headers: { ...found.object?.headers, location: found.location },
        body: Buffer.alloc(0),
      };
    case "missing":
      // Who may not list is not told what is missing: both are 403.
      return mayRead
        ? toDenial()
        : toFailure(404, "NoSuchKey", "The specified key does not exist.", { Key: found.key });
  }
}

/** With `mayRead` as the bucket is set up: who may read, and which documents a website endpoint has. */
function toEndpoint(table: ObjectTable, options: OriginOptions): AnsweringEndpoint<StoredObject> {
  const { kind, traits, index, notFound, clientRoutes, mayRead } = options;
  const { website } = table.settings;
  const error = kind === "website" ? website?.error : undefined;
  const configured = error === undefined ? undefined : { key: error, status: 403 };
  const plain = {
    key: traits.originPrefix + (clientRoutes ? index : notFound),
    status: clientRoutes ? 200 : 404,
  };
  return {
    serves: kind,
    // What the tool writes down, of this destination and of any below or beside it, is for nobody.
    get: (key) => ((mayRead ? !mayRead(key) : /(^|\/)\.courier\//.test(key)) ? undefined : table.get(key)),
    redirectOf: ({ redirect }) => redirect,
    indexName: mayRead ? (website?.index ?? index) : index,
    prefix: traits.originPrefix,
    basePath: "/",
    hasRootDocument: !traits.noRootDocument,
    routing: (website?.rules ?? []).map(toRoutingRule),
    fallback: mayRead ? configured : plain,
  };
}

function toRoutingRule(rule: SandboxRoutingRule): RoutingRule {
  const { KeyPrefixEquals, ReplaceKeyPrefixWith, ReplaceKeyWith, HostName, Protocol, HttpRedirectCode } =
    rule;
  return {
    prefix: KeyPrefixEquals,
    status: Number(HttpRedirectCode ?? 301),
    ...(ReplaceKeyPrefixWith === undefined ? {} : { replacePrefix: ReplaceKeyPrefixWith }),
    ...(ReplaceKeyWith === undefined ? {} : { replaceKey: ReplaceKeyWith }),
    ...(HostName === undefined ? {} : { host: HostName }),
    ...(Protocol === "https" ? { protocol: Protocol } : {}),
  };
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

const toDenial = (): OriginAnswer => toFailure(403, "AccessDenied", "Access Denied");

const toFailure = (status: number, code: string, message: string, more: object = {}): OriginAnswer => ({
  status,
  headers: { "content-type": "application/xml" },
  body: Buffer.from(toErrorXml({ Code: code, Message: message, ...more })),
});

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

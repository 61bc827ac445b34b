import { readFile } from "node:fs/promises";
import { findAnswer, type AnsweringEndpoint } from "../../core/answers/find-answer.ts";
import type { RoutingRule } from "../../core/model/website.ts";
import { ProtocolError } from "../store/failure.ts";
import { toErrorXml } from "../store/xml.ts";
import { UNSAID_ERROR_SECONDS, type ErrorRule } from "./behaviour.ts";
import type { Traits } from "./traits.ts";
import type { ObjectTable, SandboxRoutingRule, StoredObject } from "../store/object-table.ts";

/** How the endpoint that the edge reads from resolves addresses. */
export type OriginKind = "website" | "objects";

export interface OriginAnswer {
  readonly status: number;
  /** Seconds for which the edge holds it at least. */
  readonly heldSeconds: number;
  readonly headers: Readonly<Record<string, string>>;
  readonly body: Buffer;
}

export interface OriginOptions {
  readonly kind: OriginKind;
  /** What is put before every path: empty, or ends in a slash. */
  readonly prefix: string;
  /** What stands for `/` where the endpoint resolves none by itself; empty: nothing does. */
  readonly rootDocument: string;
  /** What visitors are answered in the place of an error. */
  readonly errors: readonly ErrorRule[];
  /** Everything is held for so long at least. */
  readonly minimumSeconds: number;
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
/** The folder of a preview in the bucket. */
export const toPreviewPrefix = (name: string): string => `previews/${name}/`;

/** The preview that a host name selects: `spring-fares.preview.localhost`. */
export const findPreview = (host: string | undefined): string | undefined =>
  PREVIEW_HOST.exec(host ?? "")?.[1]?.toLowerCase();

/** What the store's endpoint answers to the edge, which itself answers with a page where the endpoint has no error document. */
export async function askOrigin(
  findTable: () => ObjectTable,
  request: OriginRequest,
  given: OriginOptions,
): Promise<OriginAnswer> {
  const { preview } = request;
  const options = preview === undefined ? given : { ...given, prefix: toPreviewPrefix(preview) };
  const answer = await answerOf(findTable, request, options);
  const rule = options.errors.find(({ status, as }) => [status, as].includes(answer.status));
  const held = answer.status < 400 ? 0 : (rule?.heldSeconds ?? UNSAID_ERROR_SECONDS);
  const heldSeconds = Math.max(options.minimumSeconds, answer.heldSeconds, held);
  return { ...answer, heldSeconds };
}

async function answerOf(
  findTable: () => ObjectTable,
  { path, ifNoneMatch }: OriginRequest,
  options: OriginOptions,
): Promise<OriginAnswer> {
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
  const endpoint = toEndpoint(table, options);
  const found = findAnswer(path, { ...endpoint, fallback: undefined });
  switch (found.kind) {
    case "object":
      return toAnswer(table, found.object, 200, ifNoneMatch);
    case "redirect":
      return {
        status: found.status,
        heldSeconds: 0,
        headers: { ...found.object?.headers, location: found.location },
        body: Buffer.alloc(0),
      };
    case "missing":
      return (
        (await answerInstead(table, endpoint, ifNoneMatch)) ??
        (mayRead
          ? toDenial()
          : toFailure(404, "NoSuchKey", "The specified key does not exist.", { Key: found.key }))
      );
  }
}

/** The page that stands for what is missing; undefined: there is none. */
async function answerInstead(
  table: ObjectTable,
  { fallback, get }: AnsweringEndpoint<StoredObject>,
  ifNoneMatch: string | undefined,
): Promise<OriginAnswer | undefined> {
  const object = fallback && get(fallback.key);
  return object && toAnswer(table, object, fallback.status, ifNoneMatch);
}

const toKey = ({ prefix }: OriginOptions, page: string): string => prefix + page.replace(/^\//, "");

/** With `mayRead` as the bucket is set up: who may read, and which documents a website endpoint has. */
function toEndpoint(table: ObjectTable, options: OriginOptions): AnsweringEndpoint<StoredObject> {
  const { kind, traits, rootDocument, prefix, errors, mayRead } = options;
  const { website } = table.settings;
  // Who may not list is not told what is missing.
  const missing = mayRead ? 403 : 404;
  const rule = errors.find(({ status, page }) => status === missing && page !== "");
  const error = kind === "website" ? website?.error : undefined;
  const ofWebsite = error === undefined ? undefined : { key: error, status: missing };
  return {
    serves: kind,
    // What the tool writes down, of this destination and of any below or beside it, is for nobody.
    get: (key) => ((mayRead ? !mayRead(key) : /(^|\/)\.courier\//.test(key)) ? undefined : table.get(key)),
    redirectOf: ({ redirect }) => redirect,
    indexName: kind === "website" ? (website?.index ?? INDEX) : rootDocument,
    ...{ prefix, basePath: "/" },
    hasRootDocument: rootDocument !== "" && !traits.noRootDocument,
    routing: (website?.rules ?? []).map(toRoutingRule),
    fallback: rule ? { key: toKey(options, rule.page), status: rule.as } : ofWebsite,
  };
}

/** What a website endpoint resolves folders with where nobody has set it up. */
const INDEX = "index.html";

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
  ...{ status, heldSeconds: 0 },
  headers: { "content-type": "application/xml" },
  body: Buffer.from(toErrorXml({ Code: code, Message: message, ...more })),
});

const EMPTY = { heldSeconds: 0, headers: {}, body: Buffer.alloc(0) };

async function toAnswer(
  table: ObjectTable,
  object: StoredObject,
  status: number,
  ifNoneMatch?: string,
): Promise<OriginAnswer> {
  const { etag, modifiedMs, blob, headers } = object;
  const facts = { ...headers, etag: `"${etag}"`, "last-modified": new Date(modifiedMs).toUTCString() };
  if (status === 200 && ifNoneMatch === `"${etag}"`)
    return { status: 304, heldSeconds: 0, headers: facts, body: Buffer.alloc(0) };
  try {
    return { status, heldSeconds: 0, headers: facts, body: await readFile(table.blobPath(blob)) };
  } catch {
    // Overwritten between the look and the read: what stands now is as right an answer.
    const next = table.get(object.key);
    return next ? toAnswer(table, next, status) : { ...EMPTY, status: 404 };
  }
}

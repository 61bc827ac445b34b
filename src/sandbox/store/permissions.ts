import { ProtocolError } from "./failure.ts";

/** One statement of a policy, as far as the sandbox knows them: who, actions, resources, and two conditions. */
interface Statement {
  readonly Effect?: string;
  readonly Principal?: unknown;
  readonly NotPrincipal?: unknown;
  readonly Action?: string | readonly string[];
  readonly Resource?: string | readonly string[];
  readonly NotResource?: string | readonly string[];
  readonly Condition?: Readonly<Record<string, Readonly<Record<string, string | readonly string[]>>>>;
}

/** A policy of an identity, or of a bucket. */
export interface AccessPolicy {
  readonly Statement?: Statement | readonly Statement[];
}

/** What a request does, in the protocol's names. */
export interface Right {
  readonly action: string;
  readonly resource: string;
  /** Of a list. */
  readonly prefix?: string;
  /** Asked for besides, of a request that names no prefix: what a policy grants for prefixes does not count. */
  readonly hasNoPrefix?: boolean;
}

/** Who asks: an identity by its name, a service for one of its resources, or anybody. */
export type Asker =
  | { readonly kind: "anybody" }
  | { readonly kind: "identity"; readonly arn: string }
  | { readonly kind: "service"; readonly service: string; readonly source: string };

/** What each operation on an object or a bucket needs; a copy needs to read its source besides. */
const RIGHTS: Readonly<Record<string, string>> = {
  ListBuckets: "s3:ListAllMyBuckets",
  CreateBucket: "s3:CreateBucket",
  HeadBucket: "s3:ListBucket",
  ListObjectsV2: "s3:ListBucket",
  ListMultipartUploads: "s3:ListBucketMultipartUploads",
  ListObjectVersions: "s3:ListBucketVersions",
  GetObjectLock: "s3:GetBucketObjectLockConfiguration",
  GetObject: "s3:GetObject",
  HeadObject: "s3:GetObject",
  PutObject: "s3:PutObject",
  CopyObject: "s3:PutObject",
  CreateMultipartUpload: "s3:PutObject",
  UploadPart: "s3:PutObject",
  CompleteMultipartUpload: "s3:PutObject",
  DeleteObject: "s3:DeleteObject",
  AbortMultipartUpload: "s3:AbortMultipartUpload",
};
const VERSION_RIGHTS: Readonly<Record<string, string>> = {
  GetObject: "s3:GetObjectVersion",
  HeadObject: "s3:GetObjectVersion",
  DeleteObject: "s3:DeleteObjectVersion",
};
const SETTINGS: Readonly<Record<string, string>> = {
  website: "BucketWebsite",
  policy: "BucketPolicy",
  versioning: "BucketVersioning",
  location: "BucketLocation",
  publicAccessBlock: "BucketPublicAccessBlock",
  tagging: "BucketTagging",
};

export interface Asked {
  readonly operation: string;
  readonly bucket: string;
  readonly key: string;
  readonly query: URLSearchParams;
  /** The source of a copy, decoded: `bucket/key`. */
  readonly source?: string | undefined;
}

/** The rights that a request needs, all of them. */
export function toRights({ operation, bucket, key, query, source }: Asked): Right[] {
  const arn = `arn:aws:s3:::${bucket}`;
  const settings = Object.keys(SETTINGS).find((name) => query.has(name));
  if (operation.endsWith("BucketSettings") && settings !== undefined) {
    const verb = operation.startsWith("Get") ? "Get" : "Put";
    const removesPolicy = operation.startsWith("Delete") && settings === "policy";
    return [{ action: `s3:${removesPolicy ? "Delete" : verb}${SETTINGS[settings]}`, resource: arn }];
  }
  const isOfVersion = query.has("versionId");
  const action = (isOfVersion ? VERSION_RIGHTS[operation] : undefined) ?? RIGHTS[operation];
  if (action === undefined) return [];
  const isList = operation === "ListObjectsV2" || operation === "ListObjectVersions";
  const listed = isList ? { prefix: query.get("prefix") ?? "" } : {};
  const own: Right = { action, resource: key === "" ? arn : `${arn}/${key}`, ...listed };
  return source === undefined ? [own] : [own, { action: "s3:GetObject", resource: `arn:aws:s3:::${source}` }];
}

/** What a policy says to a right: a deny wins over an allow; `undefined`: it says nothing. */
export function judge(
  { Statement: statements = [] }: AccessPolicy,
  right: Right,
  asker: Asker = { kind: "anybody" },
): "allow" | "deny" | undefined {
  const fitting = toList(statements).filter(
    (statement) => isFitting(statement, right, asker) && concerns(statement, asker),
  );
  if (fitting.some(({ Effect }) => Effect === "Deny")) return "deny";
  return fitting.some(({ Effect }) => Effect === "Allow") ? "allow" : undefined;
}

const toList = (statements: NonNullable<AccessPolicy["Statement"]>): readonly Statement[] =>
  Array.isArray(statements) ? (statements as readonly Statement[]) : [statements as Statement];

/** Throws `AccessDenied`, naming the right. */
export function refuse({ action, resource }: Right): never {
  throw new ProtocolError(
    403,
    "AccessDenied",
    `The identity is not authorized to perform: ${action} on resource: "${resource}"`,
  );
}

/** Whether anything in a policy lets everybody in. */
export const isPublicPolicy = ({ Statement: statements = [] }: AccessPolicy): boolean =>
  toList(statements).some(({ Effect, Principal }) => Effect === "Allow" && isEverybody(Principal));

/** A policy of an identity names nobody: it is that identity's. */
function concerns({ Principal, NotPrincipal }: Statement, asker: Asker): boolean {
  if (NotPrincipal !== undefined) return !isNamed(NotPrincipal, asker);
  return Principal === undefined || isNamed(Principal, asker);
}

function isNamed(principal: unknown, asker: Asker): boolean {
  if (isEverybody(principal)) return true;
  const { AWS: users, Service: services } = principal as { AWS?: unknown; Service?: unknown };
  if (asker.kind === "identity") return [users].flat().includes(asker.arn);
  return asker.kind === "service" && [services].flat().includes(asker.service);
}

const isEverybody = (principal: unknown): boolean =>
  principal === "*" || [(principal as { AWS?: unknown } | undefined)?.AWS].flat().includes("*");

function isFitting(
  { Action = [], Resource, NotResource, Condition = {} }: Statement,
  { action, resource, prefix, hasNoPrefix = false }: Right,
  asker: Asker,
): boolean {
  const isNamed = (patterns: string | readonly string[]): boolean =>
    [patterns].flat().some((pattern) => matches(pattern, resource));
  const hasResource = NotResource === undefined ? isNamed(Resource ?? []) : !isNamed(NotResource);
  const wanted = (name: string): string[] =>
    Object.values(Condition).flatMap((names) => [names[name] ?? []].flat());
  const holds = (name: string, value: string): boolean =>
    wanted(name).length === 0 || wanted(name).some((pattern) => matches(pattern, value));
  return (
    [Action].flat().some((pattern) => matches(pattern, action)) &&
    hasResource &&
    (prefix === undefined || holds("s3:prefix", prefix)) &&
    !(hasNoPrefix && wanted("s3:prefix").length > 0) &&
    holds("AWS:SourceArn", asker.kind === "service" ? asker.source : "")
  );
}

/** `*` stands for any letters and `?` for one; steps back to the last star only, so that no pattern takes long. */
export function matches(pattern: string, text: string): boolean {
  let [at, read, star, mark] = [0, 0, -1, 0];
  while (read < text.length) {
    if (pattern[at] === "*") {
      [star, mark] = [at, read];
      at += 1;
    } else if (pattern[at] === "?" || pattern[at] === text[read]) {
      at += 1;
      read += 1;
    } else if (star >= 0) {
      mark += 1;
      [at, read] = [star + 1, mark];
    } else return false;
  }
  return /^\**$/.test(pattern.slice(at));
}

/** Stores take no longer policy, in letters of its text. */
const LONGEST_POLICY = 20_480;

/** Reads a policy. Throws `MalformedPolicy` where it is none, so that it is refused when it is set, and not at each request. */
export function readPolicy(text: string): AccessPolicy {
  const refuse = (why: string): ProtocolError => new ProtocolError(400, "MalformedPolicy", why);
  if (text.length > LONGEST_POLICY) throw refuse(`A policy has at most ${LONGEST_POLICY} letters`);
  let data: unknown;
  try {
    data = JSON.parse(text);
  } catch {
    throw refuse("This policy contains invalid JSON");
  }
  if (!isGroup(data)) throw refuse("A policy is an object");
  for (const statement of [data.Statement ?? []].flat()) {
    if (!isGroup(statement)) throw refuse("A statement is an object");
    if (!["Allow", "Deny"].includes(statement.Effect as string)) throw refuse("A statement has an Effect");
    for (const name of ["Action", "NotAction", "Resource", "NotResource"])
      if (!isTexts(statement[name])) throw refuse(`${name} is a text or a list of texts`);
    for (const name of ["Principal", "NotPrincipal"])
      if (!isPrincipal(statement[name])) throw refuse(`${name} is *, or names somebody`);
    const conditions = statement.Condition ?? {};
    const isCondition =
      isGroup(conditions) &&
      Object.values(conditions).every((names) => isGroup(names) && Object.values(names).every(isTexts));
    if (!isCondition) throw refuse("A Condition is made of groups of texts");
  }
  return data;
}

const isGroup = (data: unknown): data is Readonly<Record<string, unknown>> =>
  typeof data === "object" && data !== null && !Array.isArray(data);

const isTexts = (data: unknown): boolean =>
  data === undefined || [data].flat().every((one) => typeof one === "string");

const isPrincipal = (data: unknown): boolean =>
  data === undefined || data === "*" || (isGroup(data) && Object.values(data).every(isTexts));

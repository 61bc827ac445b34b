import { createHash, createHmac, timingSafeEqual } from "node:crypto";
import { ProtocolError } from "./failure.ts";
import type { AccessPolicy } from "./permissions.ts";

/** A request as it came over the wire. */
export interface SignedRequest {
  readonly method: string;
  /** Path and query as sent, not decoded. */
  readonly target: string;
  readonly headers: Readonly<Record<string, string | string[] | undefined>>;
}

export interface Identity {
  readonly accessKeyId: string;
  readonly secretAccessKey: string;
  /** How policies name it. */
  readonly arn: string;
  /** Comes along with keys that last for a while only. */
  readonly sessionToken?: string;
  /** What it may do; absent: anything. */
  readonly policy?: AccessPolicy | undefined;
}

export interface SignatureRules {
  readonly identities: readonly Identity[];
  readonly region: string;
  /** The protocol's name of the service that is asked. */
  readonly service: "s3" | "cloudfront" | "acm";
  readonly nowMs: number;
}

/** A clock may be wrong by this much. */
const SKEW_MS = 15 * 60 * 1000;

/**
 * Checks the signature of a request (AWS Signature Version 4 in the `Authorization` header).
 * @returns the identity that signed it; undefined for an anonymous request. Throws `ProtocolError`.
 */
export function authenticate(
  request: SignedRequest,
  { identities, region, service, nowMs }: SignatureRules,
): Identity | undefined {
  const authorization = header(request, "authorization");
  if (authorization === "") return undefined;
  const parts =
    /^AWS4-HMAC-SHA256 Credential=([^/]+)\/(\d{8})\/([^/]+)\/([a-z0-9]+)\/aws4_request, ?SignedHeaders=([^,]+), ?Signature=([0-9a-f]{64})$/.exec(
      authorization,
    );
  const [
    ,
    accessKeyId = "",
    day = "",
    scopeRegion = "",
    scopeService = "",
    signedHeaders = "",
    signature = "",
  ] = parts ?? [];
  if (!parts || scopeService !== service)
    throw new ProtocolError(400, "AuthorizationHeaderMalformed", "The authorization header is malformed.");
  if (scopeRegion !== region) {
    throw new ProtocolError(
      400,
      "AuthorizationHeaderMalformed",
      `The region '${scopeRegion}' is wrong; expecting '${region}'`,
      { Region: region },
    );
  }
  const identity = identities.find((candidate) => candidate.accessKeyId === accessKeyId);
  if (!identity) throw new ProtocolError(403, "InvalidAccessKeyId", "The access key id does not exist here.");
  if (header(request, "x-amz-security-token") !== (identity.sessionToken ?? ""))
    throw new ProtocolError(400, "InvalidToken", "The provided token is malformed or otherwise invalid.");
  const date = header(request, "x-amz-date");
  assertDate(date, day, nowMs);
  const scope = `${day}/${scopeRegion}/${service}/aws4_request`;
  const toSign = ["AWS4-HMAC-SHA256", date, scope, sha256(canonicalRequest(request, signedHeaders))].join(
    "\n",
  );
  const key = [day, scopeRegion, service, "aws4_request"].reduce<string | Buffer>(
    (secret, part) => hmac(secret, part),
    `AWS4${identity.secretAccessKey}`,
  );
  const expected = hmac(key, toSign);
  if (!timingSafeEqual(expected, Buffer.from(signature, "hex"))) {
    throw new ProtocolError(
      403,
      "SignatureDoesNotMatch",
      "The signature that was calculated does not match the one that was sent.",
    );
  }
  return identity;
}

function assertDate(date: string, day: string, nowMs: number): void {
  if (!date.startsWith(day))
    throw new ProtocolError(
      403,
      "SignatureDoesNotMatch",
      "The date of the scope is not that of the request.",
    );
  // A date that can't be read is as far from now as any.
  if (!(Math.abs(parseDate(date) - nowMs) <= SKEW_MS)) {
    throw new ProtocolError(
      403,
      "RequestTimeTooSkewed",
      "The difference between the request time and the current time is too large.",
    );
  }
}

function canonicalRequest(request: SignedRequest, signedHeaders: string): string {
  const [path = "/", query = ""] = request.target.split(/\?(.*)/s);
  const parameters = query
    .split("&")
    .filter((part) => part !== "")
    .map((part) => (part.includes("=") ? part : `${part}=`))
    .sort();
  const headers = signedHeaders
    .split(";")
    .map((name) => `${name}:${header(request, name).trim().replace(/ +/g, " ")}\n`);
  return [
    request.method,
    path,
    parameters.join("&"),
    headers.join(""),
    signedHeaders,
    payloadHash(request),
  ].join("\n");
}

/** SHA-256 of nothing: what a request without content is signed with when it does not say so. */
const EMPTY = "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855";

function payloadHash(request: SignedRequest): string {
  const said = header(request, "x-amz-content-sha256");
  if (said !== "" || request.method === "GET" || request.method === "HEAD" || request.method === "DELETE")
    return said === "" ? EMPTY : said;
  throw new ProtocolError(
    400,
    "InvalidRequest",
    "Missing required header for this request: x-amz-content-sha256",
  );
}

/** `20260304T142000Z` */
function parseDate(date: string): number {
  return Date.parse(date.replace(/^(\d{4})(\d\d)(\d\d)T(\d\d)(\d\d)(\d\d)Z$/, "$1-$2-$3T$4:$5:$6Z"));
}

function header({ headers }: SignedRequest, name: string): string {
  const value = headers[name];
  return Array.isArray(value) ? value.join(",") : (value ?? "");
}

const sha256 = (text: string): string => createHash("sha256").update(text).digest("hex");
const hmac = (key: string | Buffer, text: string): Buffer => createHmac("sha256", key).update(text).digest();

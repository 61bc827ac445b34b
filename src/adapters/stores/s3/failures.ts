import { findTlsFault } from "../../../core/model/tls-fault.ts";
import type { StoreAction } from "../../../core/model/store-action.ts";
import { StoreError, type StoreErrorKind } from "../../../ports/object-store.ts";

interface ClientError {
  readonly name?: string | undefined;
  readonly Code?: string;
  readonly code?: string;
  readonly message?: string | undefined;
  readonly errno?: number;
  readonly $metadata?: { readonly httpStatusCode?: number; readonly requestId?: string };
  readonly $response?: { readonly statusCode?: number; readonly headers?: Record<string, string> };
}

/** What each error code of the protocol means to a delivery. */
const KINDS: Readonly<Record<string, StoreErrorKind>> = {
  NoSuchBucket: "no-such-bucket",
  PermanentRedirect: "wrong-region",
  AuthorizationHeaderMalformed: "wrong-region",
  IllegalLocationConstraintException: "wrong-region",
  RequestTimeTooSkewed: "clock-skew",
  InvalidAccessKeyId: "credentials-refused",
  SignatureDoesNotMatch: "credentials-refused",
  ExpiredToken: "credentials-refused",
  InvalidToken: "credentials-refused",
  TokenRefreshRequired: "credentials-refused",
  AccessDenied: "denied",
  AllAccessDisabled: "denied",
  PreconditionFailed: "precondition",
  ConditionalRequestConflict: "conflict",
  OperationAborted: "conflict",
  NotImplemented: "conditions-unsupported",
  XAmzContentSHA256Mismatch: "integrity",
  BadDigest: "integrity",
  SlowDown: "throttled",
  ServiceUnavailable: "throttled",
  RequestLimitExceeded: "throttled",
  RequestTimeout: "server",
  InternalError: "server",
  CredentialsProviderError: "no-credentials",
  TimeoutError: "unreachable",
  // Whoever stopped it does not want it again.
  AbortError: "other",
  AnswerTooLarge: "other",
};

/** Failures that are no answer in the store's words, as people would say them. */
const SAID: Readonly<Record<string, string>> = {
  AnswerTooLarge: "without end",
  AbortError: "nothing, since it was stopped",
  NoDocument: "with a page that is not the protocol's",
};

/** A connection that could not be made, or broke; the client hides it in the text of an error of its own. */
const NETWORK =
  /\b(ECONN[A-Z]+|ENOTFOUND|EAI_[A-Z]+|EPIPE|EHOST[A-Z]+|ENET[A-Z]+|ETIMEDOUT|ERR_STREAM_PREMATURE_CLOSE|EPROXY)\b|socket hang up|aborted/;

/** The client makes an address of the region, or takes its default, and says this where it has neither. */
const NO_REGION = /\bRegion is missing/;

/** Whether a failure only says that nothing is there (404). */
export const isNotFound = (error: unknown): boolean => {
  const { name, $metadata } = error as ClientError;
  return $metadata?.httpStatusCode === 404 && name !== "NoSuchBucket";
};

/** Any failure of the client, as the port names it. */
export function toStoreError(
  error: unknown,
  action: StoreAction,
  { region }: { readonly region?: string | undefined },
): StoreError {
  const { name, Code, code, message, $metadata, $response } = error as ClientError;
  const status = $metadata?.httpStatusCode ?? $response?.statusCode;
  const answered = Code ?? (name === "Error" ? undefined : name) ?? code ?? "";
  const said = `${code ?? ""} ${message ?? ""}`;
  const broken = NETWORK.exec(said)?.[0];
  const tls = status === undefined ? findTlsFault(error) : undefined;
  const kind = tls ? "tls" : toKind(answered, { said, broken, status });
  const wait = $response?.headers?.["retry-after"];
  const actual =
    $response?.headers?.["x-amz-bucket-region"] ?? /expecting '([a-z0-9-]+)'/.exec(message ?? "")?.[1];
  return new StoreError(
    kind,
    message ?? answered,
    {
      action,
      ...(tls === undefined ? {} : { tls }),
      code: kind === "unreachable" ? (broken ?? answered) : (SAID[answered] ?? answered),
      ...(status === undefined ? {} : { status }),
      ...($metadata?.requestId === undefined ? {} : { requestId: $metadata.requestId }),
      ...(wait === undefined ? {} : { retryAfterMs: toMilliseconds(wait) }),
      ...(kind === "wrong-region" ? { region: actual ?? region ?? "" } : {}),
    },
    error,
  );
}

function toKind(
  answered: string,
  {
    said,
    broken,
    status,
  }: { readonly said: string; readonly broken?: string | undefined; readonly status?: number | undefined },
): StoreErrorKind {
  if (NO_REGION.test(said)) return "no-region";
  return KINDS[answered] ?? (broken === undefined ? toKindByStatus(status) : "unreachable");
}

function toKindByStatus(status: number | undefined): StoreErrorKind {
  if (status === undefined) return "other";
  if (status === 301) return "wrong-region";
  if (status === 401 || status === 403) return "denied";
  if (status === 412) return "precondition";
  if (status === 409) return "conflict";
  if (status === 429 || status === 503) return "throttled";
  if (status === 501) return "conditions-unsupported";
  return status >= 500 ? "server" : "other";
}

/** Retry-After in seconds (RFC 9110 §10.2.3); a date there is left to the back-off. */
const toMilliseconds = (value: string): number => (/^\d+$/.test(value) ? Number(value) * 1000 : 0);

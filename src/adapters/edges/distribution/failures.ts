import { findTlsFault } from "../../../core/model/tls-fault.ts";
import type { EdgeFailure } from "../../../core/model/edge.ts";
import { EdgeError } from "../../../ports/edge.ts";

interface ClientError {
  readonly name: string;
  readonly message: string;
  readonly code?: string;
  readonly $metadata?: { readonly httpStatusCode?: number };
}

const CREDENTIALS = new Set([
  "InvalidClientTokenId",
  "SignatureDoesNotMatch",
  "ExpiredToken",
  "UnrecognizedClientException",
  "MissingAuthenticationToken",
]);

/** Any failure of the client, as the port names it, and whether another try can help. */
export function toEdgeError(
  error: unknown,
  { name: edge, id }: { readonly name: string; readonly id: string },
): { failure: EdgeError; isTransient: boolean } {
  const { name, message: said, code: systemCode, $metadata } = error as ClientError;
  // Whoever reads it has not asked for how the client is made.
  const message = said.replace(/^AWS SDK error wrapper for \w*Error: /, "");
  const status = $metadata?.httpStatusCode;
  const code = systemCode ?? name;
  const answer = message === "" || message === "UnknownError" ? code : message;
  const facts = { code, answer, ...(status === undefined ? {} : { status }) };
  const fail = (failure: EdgeFailure, isTransient = false) => ({
    failure: new EdgeError(edge, { ...facts, ...failure }, error),
    isTransient,
  });
  const tls = status === undefined ? findTlsFault(error) : undefined;
  if (tls) return fail({ kind: "tls", tls });
  if (name === "CredentialsProviderError") return fail({ kind: "no-credentials" });
  if (CREDENTIALS.has(name)) return fail({ kind: "credentials-refused", code: name });
  if (name === "AccessDenied" || status === 401 || status === 403) return fail({ kind: "denied" });
  if (name === "NoSuchDistribution") return fail({ kind: "not-found", id });
  if (status === 404) return fail({ kind: "not-found" });
  if (name === "TooManyInvalidationsInProgress") return fail({ kind: "busy" });
  const isTransient =
    status === undefined || status === 429 || status >= 500 || name.startsWith("Throttling");
  return fail({ kind: "other" }, isTransient);
}

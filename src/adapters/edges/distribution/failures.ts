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

/** Any failure of the client, in words, and whether another try can help. */
export function toEdgeError(
  error: unknown,
  { name: edge, id }: { readonly name: string; readonly id: string },
): { failure: EdgeError; isTransient: boolean } {
  const { name, message, code: systemCode, $metadata } = error as ClientError;
  const status = $metadata?.httpStatusCode;
  const code = systemCode ?? name;
  const facts = { code, ...(status === undefined ? {} : { status }) };
  const fail = (text: string, isTransient = false) => ({
    failure: new EdgeError(edge, text, facts, error),
    isTransient,
  });
  if (name === "CredentialsProviderError") return fail("no credentials for it were found");
  if (CREDENTIALS.has(name)) return fail(`it does not accept the credentials (${name})`);
  if (name === "AccessDenied" || status === 401 || status === 403)
    return fail("this identity may not invalidate there (the rights to create and to read invalidations)");
  if (name === "NoSuchDistribution") return fail(`it knows no distribution ${id}`);
  const isTransient =
    name !== "TooManyInvalidationsInProgress" &&
    (status === undefined || status === 429 || status >= 500 || name.startsWith("Throttling"));
  return fail(message === "" || message === "UnknownError" ? code : message, isTransient);
}

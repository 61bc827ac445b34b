/** Why no safe connection comes about. */
export const TLS_FAULTS = [
  "expired",
  "not-yet",
  "other-name",
  "self-signed",
  "unknown-issuer",
  "revoked",
  "old-protocol",
  "no-tls",
  "other",
] as const;
export type TlsFault = (typeof TLS_FAULTS)[number];

/** The codes of certificate checks (X509_V_ERR_… of OpenSSL, x509_verify_cert(3)), and of Node.js for names (RFC 9525). */
const BY_CODE: Readonly<Record<string, TlsFault>> = {
  CERT_HAS_EXPIRED: "expired",
  CERT_NOT_YET_VALID: "not-yet",
  ERR_TLS_CERT_ALTNAME_INVALID: "other-name",
  DEPTH_ZERO_SELF_SIGNED_CERT: "self-signed",
  SELF_SIGNED_CERT_IN_CHAIN: "unknown-issuer",
  UNABLE_TO_GET_ISSUER_CERT: "unknown-issuer",
  UNABLE_TO_GET_ISSUER_CERT_LOCALLY: "unknown-issuer",
  UNABLE_TO_VERIFY_LEAF_SIGNATURE: "unknown-issuer",
  CERT_UNTRUSTED: "unknown-issuer",
  INVALID_CA: "unknown-issuer",
  CERT_REVOKED: "revoked",
  ERR_SSL_UNSUPPORTED_PROTOCOL: "old-protocol",
  ERR_SSL_TLSV1_ALERT_PROTOCOL_VERSION: "old-protocol",
  ERR_SSL_WRONG_VERSION_NUMBER: "no-tls",
  ERR_SSL_PACKET_LENGTH_TOO_LONG: "no-tls",
  ERR_SSL_HTTP_REQUEST: "no-tls",
};

const CODE = new RegExp(`\\b(${Object.keys(BY_CODE).join("|")}|ERR_SSL_[A-Z0-9_]+|ERR_TLS_[A-Z0-9_]+)\\b`);

/** What the TLS library itself says, where the code is only that of a broken protocol (EPROTO). */
const BY_WORDS: readonly (readonly [RegExp, TlsFault])[] = [
  [/wrong version number|packet length too long|http request/i, "no-tls"],
  [/unsupported protocol|alert protocol version|no protocols available/i, "old-protocol"],
  [/:SSL routines:/, "other"],
];

/** What a failure says of the safe connection; undefined: it is of another kind. */
export function findTlsFault(error: unknown): TlsFault | undefined {
  const { code, message, cause } = error as { code?: unknown; message?: unknown; cause?: unknown };
  const said = [code, message].filter((part) => typeof part === "string").join(" ");
  const known = CODE.exec(said)?.[1];
  if (known !== undefined && BY_CODE[known] !== undefined) return BY_CODE[known];
  const fault =
    BY_WORDS.find(([words]) => words.test(said))?.[1] ?? (known === undefined ? undefined : "other");
  return fault ?? (cause instanceof Error ? findTlsFault(cause) : undefined);
}

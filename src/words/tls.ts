import type { TlsFault } from "../core/model/tls-fault.ts";

/** Why no safe connection comes about, and what to do. */
const WORDS: Readonly<Record<TlsFault, readonly [why: string, mend: string]>> = {
  expired: [
    "its certificate has expired",
    "renew the certificate there, unless this machine's clock is wrong",
  ],
  "not-yet": [
    "its certificate is not valid yet",
    "set this machine's clock; if that is right, the certificate was set up too early",
  ],
  "other-name": [
    "its certificate is for other names",
    "use a name that is in the certificate, or get one for this name",
  ],
  "self-signed": [
    "its certificate is signed by nobody but itself",
    "if it is yours, make it known to this machine: NODE_EXTRA_CA_CERTS=FILE.pem",
  ],
  "unknown-issuer": [
    "this machine does not know who issued its certificate",
    "in a company network, name the file with the company's own certificates: NODE_EXTRA_CA_CERTS=FILE.pem; elsewhere the server leaves out the certificates between",
  ],
  revoked: ["its certificate was revoked", "get a new certificate there"],
  "old-protocol": ["it speaks only versions of TLS that are no longer safe", "let it speak TLS 1.2 or later"],
  "no-tls": [
    "what answers at that port does not speak TLS",
    "check the port, or let the address begin with http://",
  ],
  other: ["a safe connection (TLS) did not come about", "--verbose shows what the system says of it"],
};

/** Why there is no safe connection, and what mends it. */
export const wordsOfTls = (fault: TlsFault): { readonly why: string; readonly mend: string } => {
  const [why, mend] = WORDS[fault];
  return { why, mend };
};

/** The same in one sentence. */
export function showUnsafe(fault: TlsFault): string {
  const { why, mend } = wordsOfTls(fault);
  return `there is no safe connection: ${why} (${mend})`;
}

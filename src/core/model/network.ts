import type { TlsFault } from "./tls-fault.ts";

/** A name that was looked up, or the code of the failure. */
export type NameLook = { readonly addresses: readonly string[] } | { readonly code: string };

interface Certificate {
  /** Milliseconds since 1970. */
  readonly untilMs: number;
  readonly names: readonly string[];
  /** The code of what a browser would refuse it for. */
  readonly fault?: string | undefined;
}

interface NoCertificate {
  /** The code of the failure. */
  readonly code: string;
  /** What it says of the safe connection. */
  readonly tls?: TlsFault;
  /** Which proxy was in the way, and how; absent: none. */
  readonly proxy?: string;
}

/** What a server shows of itself, if it shows anything. */
export type CertificateLook = Certificate | NoCertificate;

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

/** What a server shows of itself; or the code of the failure, and what it says of the safe connection. */
export type CertificateLook = Certificate | { readonly code: string; readonly tls?: TlsFault };

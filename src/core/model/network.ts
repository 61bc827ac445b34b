/** A name that was looked up, or the code of the failure. */
export type NameLook = { readonly addresses: readonly string[] } | { readonly code: string };

interface Certificate {
  /** Milliseconds since 1970. */
  readonly untilMs: number;
  readonly names: readonly string[];
  /** The code of what a browser would refuse it for. */
  readonly fault?: string | undefined;
}

export type CertificateLook = Certificate | { readonly code: string };

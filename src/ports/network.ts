import type { CertificateLook, NameLook } from "../core/model/network.ts";

/** The way to a public address, below HTTP. Neither call throws: a failure is a code. */
export interface Network {
  /** The proxy that leads to an address, as it may be shown; undefined: none. */
  findProxy(url: string): string | undefined;
  lookUp(host: string): Promise<NameLook>;
  /** What the server shows of itself, whether browsers would take it or not. */
  readCertificate(host: string, port: number): Promise<CertificateLook>;
}

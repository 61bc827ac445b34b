import { isIP } from "node:net";
import { generate } from "selfsigned";

/** Key and certificate, PEM. */
export interface Certificate {
  readonly key: string;
  readonly cert: string;
}

export interface CertificateFacts {
  /** Host names and addresses that it is for; the first is its common name. */
  readonly names: readonly string[];
  /** Milliseconds since 1970. */
  readonly fromMs: number;
  readonly untilMs: number;
  /** Whether clients that are told to trust it take it for an authority. */
  readonly isAuthority: boolean;
}

/** GeneralName choices of RFC 5280 §4.2.1.6. */
const [DNS_NAME, IP_ADDRESS] = [2, 7] as const;

/** A certificate that signs itself: who is to trust it must be told to. */
export async function createCertificate(facts: CertificateFacts): Promise<Certificate> {
  const { names, fromMs, untilMs, isAuthority } = facts;
  const { private: key, cert } = await generate([{ name: "commonName", value: names[0] ?? "localhost" }], {
    keySize: 2048,
    notBeforeDate: new Date(fromMs),
    notAfterDate: new Date(untilMs),
    extensions: [
      { name: "basicConstraints", cA: isAuthority, critical: true },
      {
        name: "subjectAltName",
        altNames: names.map((name) =>
          isIP(name) === 0 ? { type: DNS_NAME, value: name } : { type: IP_ADDRESS, ip: name },
        ),
      },
    ],
  });
  return { key, cert };
}

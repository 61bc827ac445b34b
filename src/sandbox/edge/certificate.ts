import { generate } from "selfsigned";
import type { CertificateKind } from "./certificate-kinds.ts";

/** Key and certificate, PEM. */
export interface Certificate {
  readonly key: string;
  readonly cert: string;
}

const DAY_MS = 86_400_000;

/** A certificate that the sandbox signs itself: who is to trust it must be told to (`NODE_EXTRA_CA_CERTS`). */
export async function createCertificate(kind: CertificateKind, nowMs: number): Promise<Certificate> {
  const name = kind === "other-name" ? "elsewhere.localhost" : "localhost";
  const names = [{ type: 2 as const, value: name }];
  const [from, until] = kind === "expired" ? [-60, -30] : [-1, 90];
  const { private: key, cert } = await generate([{ name: "commonName", value: name }], {
    keySize: 2048,
    notBeforeDate: new Date(nowMs + from * DAY_MS),
    notAfterDate: new Date(nowMs + until * DAY_MS),
    extensions: [
      { name: "basicConstraints", cA: true, critical: true },
      {
        name: "subjectAltName",
        altNames: kind === "other-name" ? names : [...names, { type: 7 as const, ip: "127.0.0.1" }],
      },
    ],
  });
  return { key, cert };
}

import { createCertificate, type Certificate } from "../../serving/certificate.ts";
import type { CertificateKind } from "./certificate-kinds.ts";

const DAY_MS = 86_400_000;

/** A certificate of the edge: who is to trust it must be told to (`NODE_EXTRA_CA_CERTS`). */
export function createEdgeCertificate(kind: CertificateKind, nowMs: number): Promise<Certificate> {
  const [from, until] = kind === "expired" ? [-60, -30] : [-1, 90];
  return createCertificate({
    names: kind === "other-name" ? ["elsewhere.localhost"] : ["localhost", "127.0.0.1"],
    fromMs: nowMs + from * DAY_MS,
    untilMs: nowMs + until * DAY_MS,
    isAuthority: true,
  });
}

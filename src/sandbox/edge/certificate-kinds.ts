/** What is right or wrong about the edge's certificate; apart from what makes it, so that a list of options loads nothing. */
export const CERTIFICATE_KINDS = ["good", "expired", "other-name"] as const;
export type CertificateKind = (typeof CERTIFICATE_KINDS)[number];

import type { CertificateFacts } from "../model/distribution.ts";
import type { Reading } from "../model/bucket.ts";

/** Why names can't be given to a distribution yet. */
export type CertificateFault =
  /** Nobody has named one, and none of those that are there will do. */
  | { readonly code: "none" }
  | { readonly code: "may-not-look"; readonly answer: string }
  /** `region`: where it has to be. */
  | { readonly code: "elsewhere"; readonly reference: string; readonly region: string }
  | { readonly code: "not-found" | "not-issued"; readonly reference: string }
  | { readonly code: "expired"; readonly reference: string; readonly until: string }
  | { readonly code: "other-names"; readonly reference: string; readonly missing: readonly string[] };

export interface CertificateWish {
  readonly names: readonly string[];
  /** The one that the settings name. */
  readonly said?: string | undefined;
  /** The one that stands. */
  readonly standing?: string | undefined;
  /** Where certificates of distributions have to be. */
  readonly region: string;
  readonly nowMs: number;
}

/**
 * The certificate for the names: the one that the settings name; else the one that stands, if it will do; else the one
 * of those that are there that lasts longest.
 */
export function chooseCertificate(
  listed: Reading<readonly CertificateFacts[]>,
  wish: CertificateWish,
): { readonly reference: string } | { readonly fault: CertificateFault } {
  const { said, standing, region } = wish;
  const place = said?.split(":")[3] ?? "";
  if (said !== undefined && place !== "" && place !== region)
    return { fault: { code: "elsewhere", reference: said, region } };
  if (listed.state === "denied" || listed.state === "unsupported") {
    // Whoever may not look takes the settings' word for it; the interface refuses what it can't use.
    const reference = said ?? standing;
    return reference === undefined
      ? { fault: { code: "may-not-look", answer: listed.answer } }
      : { reference };
  }
  const known = listed.state === "set" ? listed.value : [];
  if (said !== undefined) {
    const fault = findFault(known, said, wish);
    return fault ? { fault } : { reference: said };
  }
  if (standing !== undefined && findFault(known, standing, wish) === undefined)
    return { reference: standing };
  const [best] = known
    .filter(({ reference }) => findFault(known, reference, wish) === undefined)
    .sort((a, b) => toTime(b.until) - toTime(a.until) || (a.reference < b.reference ? -1 : 1));
  return best ? { reference: best.reference } : { fault: { code: "none" } };
}

function findFault(
  known: readonly CertificateFacts[],
  reference: string,
  { names, nowMs }: CertificateWish,
): CertificateFault | undefined {
  const found = known.find((one) => one.reference === reference);
  if (!found) return { code: "not-found", reference };
  const { until = "" } = found;
  if (until !== "" && Date.parse(until) <= nowMs) return { code: "expired", reference, until };
  if (!found.isIssued) return { code: "not-issued", reference };
  const missing = names.filter((name) => !found.names.some((pattern) => isForName(pattern, name)));
  return missing.length > 0 ? { code: "other-names", reference, missing } : undefined;
}

const toTime = (until: string | undefined): number => (until === undefined ? 0 : Date.parse(until));

/** Whether a certificate's name is for a host name; `*` is one whole label (RFC 9525 §6.3). */
export function isForName(pattern: string, name: string): boolean {
  const [a, b] = [pattern.toLowerCase(), name.toLowerCase()];
  if (a === b) return true;
  return (
    a.startsWith("*.") && !b.startsWith("*.") && b.includes(".") && a.slice(1) === b.slice(b.indexOf("."))
  );
}

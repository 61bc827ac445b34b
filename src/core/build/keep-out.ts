import type { ExplainedParcel } from "../model/explained-parcel.ts";
import type { ProblemOf } from "../model/problem.ts";
import { createHeaderDecider } from "./headers.ts";
import type { SiteRules } from "./site-rules.ts";

/** The file that keeps search engines out (RFC 9309 §2.3: at the root of a host); its text stands in `gather/own-texts.ts`. */
export const KEEP_OUT = {
  key: "robots.txt",
  /** SHA-256. */
  hash: "331ea9090db0c9f6f597bd9840fd5b171830f6e0b3ba1cb24dfa91f0c95aedc1",
  /** Bytes. */
  size: 26,
} as const;

/** What keeps search engines out of a site that is not for them, in the place of what its build has for them. */
export function decideKeepOut({ noIndex, headers, addressRules }: SiteRules): {
  readonly parcels: readonly ExplainedParcel[];
  readonly problems: readonly ProblemOf<"robots-out-of-reach">[];
} {
  if (!noIndex) return { parcels: [], problems: [] };
  const { basePath } = addressRules;
  if (basePath !== "/")
    return {
      parcels: [],
      problems: [{ code: "robots-out-of-reach", severity: "warning", facts: { basePath } }],
    };
  const { key, hash, size } = KEEP_OUT;
  const decided = createHeaderDecider(headers)({ path: key, role: "document", head: new Uint8Array() });
  const parcel: ExplainedParcel = {
    ...{ key, hash, storedHash: hash, size, role: "document" },
    roleReason: { code: "keep-out" },
    isOwn: true,
    ...decided,
  };
  return { parcels: [parcel], problems: [] };
}

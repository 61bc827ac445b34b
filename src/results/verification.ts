import * as z from "zod";
import { wordsOfFinding } from "../words/verification.ts";
import { CAUSES, type Finding } from "../core/diagnosis/verification/causes.ts";
import { FINDING_CODES } from "../core/diagnosis/verification/findings.ts";

const count = z.int().min(0);

/** `verify` */
export const verifyResultSchema = z.strictObject({
  site: z.string(),
  destination: z.string(),
  /** The current release. */
  release: count,
  url: z.string(),
  /** Addresses that were asked for. */
  checked: count,
  /** These addresses, sorted. */
  addresses: z.array(z.string()),
  /** Requests to the site. */
  requests: count,
  /** Files that wait until every edge has confirmed, and are not looked at. */
  heldBack: z.array(z.string()),
  /** What is not as it was delivered. */
  findings: z.array(
    z.strictObject({
      address: z.string(),
      code: z.enum(FINDING_CODES),
      expected: z.string(),
      found: z.string(),
      /** The likely cause, in words. */
      cause: z.string(),
      /** The same, stable. */
      causeCode: z.enum(CAUSES),
      /** What to do. */
      hint: z.string(),
    }),
  ),
});
export type VerifyResult = z.infer<typeof verifyResultSchema>;

/** A finding with its words. */
export function toFindingResult(finding: Finding): VerifyResult["findings"][number] {
  const { address, code, cause } = finding;
  const { expected, found, why, hint } = wordsOfFinding(finding);
  return { address, code, expected, found, hint, cause: why, causeCode: cause };
}

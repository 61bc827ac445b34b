import * as z from "zod";
import type { Readers } from "../core/bucket/policies.ts";
import type { ProvisionPlan } from "../core/bucket/provision.ts";
import { showChecked, wordsOfByHand, wordsOfStep } from "../words/provision.ts";

/** `provision` */
export const provisionResultSchema = z.strictObject({
  site: z.string(),
  destination: z.string(),
  bucket: z.string(),
  endpoint: z.string(),
  /** Who may read the site from the bucket. */
  readers: z.enum(["public", "edge-only"]),
  /** Whether nothing was changed. */
  dryRun: z.boolean(),
  /** Changes that were made, or would be. */
  steps: z.array(
    z.strictObject({
      do: z.enum([
        "create-bucket",
        "make-folder",
        "set-public-block",
        "set-policy",
        "set-website",
        "keep-versions",
        "set-tags",
      ]),
      what: z.string(),
      why: z.string(),
    }),
  ),
  /** What is left to a person. */
  byHand: z.array(z.strictObject({ what: z.string(), why: z.string(), how: z.string() })),
  /** What was tried afterwards, or in a bucket that needed nothing. */
  checked: z.array(z.string()),
});
export type ProvisionResult = z.infer<typeof provisionResultSchema>;

/** What was or would be done to which bucket. */
export interface ProvisionFacts extends ProvisionPlan {
  readonly site: string;
  readonly destination: string;
  readonly bucket: string;
  readonly endpoint: string;
  readonly readers: Readers;
  readonly dryRun: boolean;
  /** Whether it was tried who may read. */
  readonly isChecked: boolean;
}

/** The result of `provision`. */
export const toProvisionResult = ({
  isChecked,
  steps,
  byHand,
  ...facts
}: ProvisionFacts): ProvisionResult => ({
  site: facts.site,
  destination: facts.destination,
  bucket: facts.bucket,
  endpoint: facts.endpoint,
  readers: facts.readers,
  dryRun: facts.dryRun,
  steps: steps.map((step) => ({ do: step.do, ...wordsOfStep(step) })),
  byHand: byHand.map(wordsOfByHand),
  checked: isChecked ? [...showChecked(facts.readers)] : [],
});

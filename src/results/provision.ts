import * as z from "zod";
import type { DistributionByHand, DistributionStep } from "../core/distribution/plan.ts";
import type { DistributionFacts } from "../core/model/distribution.ts";
import { wordsOfDistributionByHand, wordsOfDistributionStep } from "../words/distribution.ts";
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
        "make-distribution",
        "set-origin",
        "set-root-document",
        "set-missing-pages",
        "shorten-errors",
        "switch-compression-on",
        "set-plain-http",
        "set-methods",
        "set-cache-keys",
        "set-minimum-freshness",
        "set-certificate",
        "add-names",
        "switch-on",
        "give-function",
        "give-headers-policy",
        "write-settings",
      ]),
      what: z.string(),
      why: z.string(),
    }),
  ),
  /** What is left to a person. */
  byHand: z.array(z.strictObject({ what: z.string(), why: z.string(), how: z.string() })),
  /** What was tried afterwards, or in a bucket that needed nothing. */
  checked: z.array(z.string()),
  /** The distribution before the bucket; absent: there is none, or none yet. */
  distribution: z
    .strictObject({
      id: z.string(),
      /** The host name that it has by itself. */
      domain: z.string(),
      /** Whether all its places have its newest settings. */
      deployed: z.boolean(),
    })
    .optional(),
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
  /** Absent: no distribution stands before it. */
  readonly edge: ProvisionEdgeFacts | undefined;
}

interface ProvisionEdgeFacts {
  readonly steps: readonly DistributionStep[];
  readonly byHand: readonly DistributionByHand[];
  readonly facts?: DistributionFacts | undefined;
}

/** The result of `provision`. */
export const toProvisionResult = ({
  isChecked,
  steps,
  byHand,
  edge,
  ...facts
}: ProvisionFacts): ProvisionResult => ({
  site: facts.site,
  destination: facts.destination,
  bucket: facts.bucket,
  endpoint: facts.endpoint,
  readers: facts.readers,
  dryRun: facts.dryRun,
  steps: [
    ...steps.map((step) => ({ do: step.do, ...wordsOfStep(step) })),
    ...(edge?.steps ?? []).map((step) => ({ do: step.do, ...wordsOfDistributionStep(step) })),
  ],
  byHand: [...byHand.map(wordsOfByHand), ...(edge?.byHand ?? []).map(wordsOfDistributionByHand)],
  checked: [
    ...(isChecked ? showChecked(facts.readers) : []),
    ...(edge?.facts && !facts.dryRun ? [`the distribution ${edge.facts.id} is deployed`] : []),
  ],
  ...(edge?.facts && {
    distribution: { id: edge.facts.id, domain: edge.facts.domain, deployed: edge.facts.isDeployed },
  }),
});

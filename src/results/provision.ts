import * as z from "zod";

/** The machine-readable result of `provision`: part of the interface, documented in docs/results.md. */
export const provisionResultSchema = z.strictObject({
  site: z.string(),
  destination: z.string(),
  bucket: z.string(),
  endpoint: z.string(),
  readers: z.enum(["public", "edge-only"]),
  dryRun: z.boolean(),
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

import * as z from "zod";
import { verifyResultSchema } from "./verification.ts";
import { ROLES } from "../core/model/role.ts";
import { CHANGES } from "../core/compare/standing.ts";

/** The machine-readable result of `deliver` and `compare`: part of the interface, documented in docs/results.md. */
const count = z.int().min(0);
const weight = z.strictObject({ addresses: count, bytes: count });

export const invalidationSchema = z.strictObject({
  /** What an edge may hold wrongly; one that ends with `*` is everything that begins so. */
  addresses: z.array(z.string()),
  patterns: z.array(z.string()),
  /** Right copies that go along, at the edge that loses most. */
  collateral: weight,
  /** Right copies that would go along if everything (`/*`) were invalidated. */
  everything: weight,
  confirmed: z.boolean(),
  owed: z.array(z.string()),
  edges: z.array(
    z.strictObject({
      edge: z.string(),
      patterns: count,
      collateral: weight,
      /** By how many bytes a better set of patterns could beat this one at most. */
      gap: count,
      confirmed: z.boolean(),
    }),
  ),
  /** What could be spared if more were known of an edge. */
  hints: z.array(z.string()),
});

export const deliveryResultSchema = z.strictObject({
  site: z.string(),
  destination: z.string(),
  /** The number that the delivery gets or got; with nothing to do it equals `previous`. */
  release: count,
  previous: count,
  /** The release whose parcels were put back; absent: a build was delivered. */
  redelivers: count.optional(),
  dryRun: z.boolean(),
  counts: z.strictObject({
    new: count,
    replaced: count,
    relabelled: count,
    moved: count,
    unchanged: count,
    stale: count,
    drifted: count,
    missing: count,
    foreign: count,
  }),
  /** `unchanged` counts what stayed where it is. */
  bytes: z.strictObject({ sent: count, copied: count, unchanged: count }),
  changes: z.array(
    z.strictObject({
      key: z.string(),
      change: z.enum([...CHANGES, "unchanged"]),
      role: z.enum(ROLES),
      size: count,
      /** Whether its bytes were sent, or copied inside the store; absent: it stays as it is. */
      by: z.enum(["sending", "copying"]).optional(),
      reason: z.string(),
    }),
  ),
  /** Objects removed by this delivery. */
  pruned: z.array(z.string()),
  /** Objects that only stand for open tabs, and until when at least. */
  kept: z.array(
    z.strictObject({
      key: z.string(),
      lastIn: count,
      until: z.strictObject({ release: count, at: z.string() }),
    }),
  ),
  invalidation: invalidationSchema,
  /** Aliases, redirects and other made objects. */
  generated: z.strictObject({ written: count, unchanged: count, removed: count }),
  /** Every request to the store. */
  requests: z.strictObject({
    list: count,
    get: count,
    head: count,
    put: count,
    copy: count,
    delete: count,
    multipart: count,
    retried: count,
  }),
  phases: z.array(z.strictObject({ name: z.string(), seconds: z.number().min(0) })),
  url: z.string().optional(),
  /** What `--verify` found; absent: it was not asked for. */
  verification: z.strictObject({ checked: count, findings: verifyResultSchema.shape.findings }).optional(),
  warnings: z.array(z.string()),
});

export type DeliveryResult = z.infer<typeof deliveryResultSchema>;

/** The form of every error under `--format json`. */
export const errorResultSchema = z.strictObject({
  error: z.strictObject({
    code: z.string(),
    message: z.string(),
    hint: z.string(),
    details: z.record(z.string(), z.unknown()),
  }),
});

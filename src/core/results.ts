import * as z from "zod";
import { ROLES } from "./model/parcel.ts";
import { CHANGES } from "./compare.ts";

/** The machine-readable result of `deliver` and `compare`: part of the interface, documented in docs/results.md. */
const count = z.int().min(0);

export const deliveryResultSchema = z.strictObject({
  site: z.string(),
  destination: z.string(),
  /** The number that the delivery gets or got; with nothing to do it equals `previous`. */
  release: count,
  previous: count,
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
  invalidation: z.strictObject({
    addresses: z.array(z.string()),
    patterns: z.array(z.string()),
    collateral: z.strictObject({ addresses: count, bytes: count }),
    confirmed: z.boolean(),
    owed: z.array(z.string()),
    edges: z.array(z.strictObject({ edge: z.string(), patterns: count, confirmed: z.boolean() })),
  }),
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

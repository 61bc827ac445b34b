import * as z from "zod";
import { verifyResultSchema } from "./verification.ts";
import { RULE_CHANGES, RULE_KINDS } from "../core/edge-rules/changes.ts";
import { ROLES } from "../core/model/role.ts";
import { CHANGES } from "../core/compare/key-state.ts";

const count = z.int().min(0);
const weight = z.strictObject({ addresses: count, bytes: count });

/** What edges are asked to forget: in `invalidation` of other results. */
export const invalidationSchema = z.strictObject({
  /** What an edge may hold wrongly; one that ends with `*` is everything that begins so. */
  addresses: z.array(z.string()),
  /** What is asked for, so that all of these go. */
  patterns: z.array(z.string()),
  /** Right copies that go along, at the edge that loses most. */
  collateral: weight,
  /** Right copies that would go along if everything (`/*`) were invalidated. */
  everything: weight,
  /** Whether every edge has let go of all, and that was read back. */
  confirmed: z.boolean(),
  /** Addresses that an edge has not confirmed; the next run asks again. */
  owed: z.array(z.string()),
  /** The same edge by edge. */
  edges: z.array(
    z.strictObject({
      edge: z.string(),
      /** How many addresses may be held wrongly. */
      addresses: count,
      /** By how many patterns they are asked for. */
      patterns: count,
      collateral: weight,
      /** By how many bytes a better set of patterns could beat this one at most. */
      gap: count,
      confirmed: z.boolean(),
      /** What was read back and is right: addresses, each in so many forms of Accept-Encoding. */
      read: z.strictObject({ addresses: count, forms: count }),
    }),
  ),
  /** What could be spared if more were known of an edge. */
  hints: z.array(z.string()),
});

/** What an edge does by itself otherwise than before, with requests and answers. */
export const ruleChangesSchema = z.array(
  z.strictObject({
    kind: z.enum(RULE_KINDS),
    /** An address, or the name of a header; of `pages`, which is how addresses lead to objects, the site's first address. */
    name: z.string(),
    change: z.enum(RULE_CHANGES),
    /** Where a redirect leads, with its status; or the value of a header. */
    now: z.string().optional(),
  }),
);

/** `deliver`, `redeliver` and, with what would be, `compare` */
export const deliveryResultSchema = z.strictObject({
  /** The name of the site in the settings. */
  site: z.string(),
  /** The name of the destination. */
  destination: z.string(),
  /** The number that the delivery gets or got; with nothing to do it equals `previous`. */
  release: count,
  /** The release before; 0: none. */
  previous: count,
  /** The release whose parcels were put back; absent: a build was delivered. */
  redelivers: count.optional(),
  /** Whether nothing was written. */
  dryRun: z.boolean(),
  /** Files by what happens to them. */
  counts: z.strictObject({
    new: count,
    /** Other bytes. */
    replaced: count,
    /** Other headers only. */
    relabelled: count,
    /** The same bytes stood under another key. */
    moved: count,
    unchanged: count,
    /** Ours, standing, and not in the build. */
    stale: count,
    /** Changed by other means. */
    drifted: count,
    /** Removed by other means. */
    missing: count,
    /** Not ours, left alone. */
    foreign: count,
  }),
  /** `unchanged` counts what stayed where it is. */
  bytes: z.strictObject({ sent: count, copied: count, unchanged: count }),
  /** File by file; with `--all` the unchanged too. */
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
  /** Workers and version files that wait until every edge has confirmed; the next run writes them. */
  heldBack: z.array(z.string()),
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
  /** What edges are asked to forget: see there. */
  invalidation: invalidationSchema,
  /** What the edge is given to do by itself, where that changes; `drifted`: somebody had changed it there. */
  edgeRules: z.strictObject({ drifted: z.boolean(), changes: ruleChangesSchema }).optional(),
  /** Aliases, redirects and other made objects. */
  generated: z.strictObject({ written: count, unchanged: count, removed: count }),
  /** Every request to the store, by kind; `retried` counts those that were tried again. */
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
  /** The phases of the run, in their order. */
  phases: z.array(z.strictObject({ name: z.string(), seconds: z.number().min(0) })),
  /** The address of the site, or of the preview, where the settings say it. */
  url: z.string().optional(),
  /** The release of another destination that it took over, by its whole name. */
  takenFrom: z.string().optional(),
  /** Of a preview alone: its name as it was asked for, and when its time is over, ISO 8601 UTC. */
  preview: z.strictObject({ name: z.string(), until: z.string() }).optional(),
  /** What `--verify` found; absent: it was not asked for. */
  verification: z.strictObject({ checked: count, findings: verifyResultSchema.shape.findings }).optional(),
  /** What a first visit to the entry page loads, in bytes as sent with brotli, where that changes; `by`: what is new in it. */
  firstVisit: z
    .strictObject({ page: z.string(), before: count, after: count, by: z.array(z.string()) })
    .optional(),
  /** What is worth knowing, in words. */
  warnings: z.array(z.string()),
});

export type DeliveryResult = z.infer<typeof deliveryResultSchema>;

/** every error */
export const errorResultSchema = z.strictObject({
  error: z.strictObject({
    /** Stable; docs/errors.md lists them. */
    code: z.string(),
    /** What happened. */
    message: z.string(),
    /** What to do next. */
    hint: z.string(),
    /** Names and numbers of the case; of wrong settings `mistakes`, a list of file, line, column, path and message. */
    details: z.record(z.string(), z.unknown()),
  }),
});

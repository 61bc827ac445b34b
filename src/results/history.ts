import * as z from "zod";
import type { Hold } from "../core/model/hold.ts";
import { ROLES } from "../core/model/role.ts";
import { selectHeldBack } from "../core/history/held-back.ts";
import type { Pointer, Waybill } from "../core/model/release.ts";
import { invalidationSchema } from "./delivery.ts";
import { PRUNE_REASONS, type PruneDecision } from "../core/history/prune.ts";
import { findRuleChanges } from "../core/edge-rules/changes.ts";
import { ruleChangesSchema } from "./delivery.ts";
import { DIFFERENCES, type ReleaseDifference } from "../core/compare/release-differences.ts";

const count = z.int().min(0);

const releaseSchema = z.strictObject({
  release: count,
  /** The run that made it. */
  run: z.string(),
  /** The release before; 0: none. */
  previous: count,
  /** When it was made, ISO 8601 UTC. */
  at: z.string(),
  /** Who made it. */
  by: z.string(),
  commit: z.string().optional(),
  note: z.string().optional(),
  /** The number of the build. */
  sequence: z.int().optional(),
  /** The release that it put back. */
  redelivers: count.optional(),
  /** The release of another destination that it took over, by its whole name. */
  takenFrom: z.string().optional(),
  isCurrent: z.boolean(),
  files: count,
  bytes: count,
});

/** `invalidate` */
export const invalidateResultSchema = z.strictObject({
  site: z.string(),
  destination: z.string(),
  /** Whether no edge was asked. */
  dryRun: z.boolean(),
  /** What edges are asked to forget: see there. */
  invalidation: invalidationSchema,
});
export type InvalidateResult = z.infer<typeof invalidateResultSchema>;

/** `releases` */
export const releaseListSchema = z.strictObject({
  destination: z.string(),
  /** Newest first. */
  releases: z.array(releaseSchema),
  /** Releases whose record can't be read. */
  unreadable: z.array(count),
  /** Files of the current release that wait until every edge has confirmed. */
  heldBack: z.array(z.string()),
  /** What edges have not confirmed. */
  owed: z.array(z.strictObject({ edge: z.string(), addresses: z.array(z.string()) })),
});
export type ReleaseListResult = z.infer<typeof releaseListSchema>;

/** `releases RELEASE` */
export const oneReleaseSchema = releaseSchema.extend({
  destination: z.string(),
  /** Every object of the release. */
  parcels: z.array(
    z.strictObject({
      key: z.string(),
      role: z.enum(ROLES),
      size: count,
      hash: z.string(),
      headers: z.record(z.string(), z.string()),
      aliasOf: z.string().optional(),
      redirectsTo: z.string().optional(),
      /** It waits until every edge has confirmed. */
      isHeldBack: z.literal(true).optional(),
    }),
  ),
  /** Objects that only stand for open tabs. */
  standing: z.array(z.strictObject({ key: z.string(), size: count, lastIn: count })),
});
export type OneReleaseResult = z.infer<typeof oneReleaseSchema>;

/** `releases RELEASE RELEASE`, `compare RELEASE RELEASE` */
export const releaseComparisonSchema = z.strictObject({
  destination: z.string(),
  from: count,
  to: count,
  /** Changes by kind. */
  counts: z.record(z.enum(DIFFERENCES), count),
  /** File by file. */
  changes: z.array(
    z.strictObject({ key: z.string(), change: z.enum(DIFFERENCES), role: z.enum(ROLES), size: count }),
  ),
  /** What the edge does otherwise by itself. */
  edgeRules: ruleChangesSchema,
});
export type ReleaseComparisonResult = z.infer<typeof releaseComparisonSchema>;

/** `releases hold` */
export const holdSchema = z.strictObject({
  destination: z.string(),
  /** Whether some run has the destination now. */
  isHeld: z.boolean(),
  /** Who has it, or had it last; absent: nobody ever, or the record can't be read. */
  hold: z
    .strictObject({
      run: z.string(),
      work: z.string(),
      by: z.string(),
      host: z.string(),
      process: z.int(),
      at: z.string(),
      leaseSeconds: z.number(),
    })
    .optional(),
});
export type HoldResult = z.infer<typeof holdSchema>;

const removedSchema = z.array(z.strictObject({ key: z.string(), why: z.enum(PRUNE_REASONS), size: count }));

/** What went from a preview that had a content which is removed for good: in `inPreviews` of `prune` */
const forgottenInPreviewSchema = z.strictObject({
  /** Its name as it stands in its prefix. */
  preview: z.string(),
  /** What went from there, or would go, and why. */
  removed: removedSchema,
  /** How many versions went that the bucket had kept of forgotten contents. */
  versions: count,
});
export type ForgottenInPreview = z.infer<typeof forgottenInPreviewSchema>;

/** `prune` */
export const pruneResultSchema = z.strictObject({
  destination: z.string(),
  /** Whether nothing was removed. */
  dryRun: z.boolean(),
  /** What went, or would go, and why. */
  removed: removedSchema,
  /** All of that together. */
  bytes: count,
  /** Stale assets that stay until edges have confirmed, or a delivery that did not end is finished. */
  waiting: z.array(z.string()),
  /** Releases that can still be put back, the current one first. */
  retained: z.array(count),
  /** Objects that are not ours and stay. */
  foreign: z.array(z.string()),
  /** Addresses that an edge has not confirmed. */
  owed: z.array(z.string()),
  /** How many versions went that the bucket had kept of forgotten contents. */
  versions: count,
  /** Previews that went since their time is over, or would go; absent: the destination has none. */
  previews: z.array(z.string()).optional(),
  /** Previews that had a content which is removed for good; absent: nobody has looked there. */
  inPreviews: z.array(forgottenInPreviewSchema).optional(),
});
export type PruneResult = z.infer<typeof pruneResultSchema>;

function toRelease(waybill: Waybill, current: number): z.infer<typeof releaseSchema> {
  const { parcels, release, run, previous, at, by, commit, note, sequence, redelivers } = waybill;
  const { takenFrom } = waybill;
  const built = parcels.filter(
    ({ aliasOf, redirectsTo }) => aliasOf === undefined && redirectsTo === undefined,
  );
  return {
    ...{ release, run, previous, at, by },
    ...(commit !== undefined && { commit }),
    ...(note !== undefined && { note }),
    ...(sequence !== undefined && { sequence }),
    ...(redelivers !== undefined && { redelivers }),
    ...(takenFrom !== undefined && { takenFrom }),
    isCurrent: waybill.release === current,
    files: built.length,
    bytes: built.reduce((sum, { size }) => sum + size, 0),
  };
}

/** The result of `releases`. */
export function toReleaseList(
  destination: string,
  pointer: Pointer,
  waybills: readonly { readonly release: number; readonly waybill: Waybill | undefined }[],
): ReleaseListResult {
  return {
    destination,
    releases: waybills.flatMap(({ waybill }) => (waybill ? [toRelease(waybill, pointer.release)] : [])),
    unreadable: waybills.filter(({ waybill }) => !waybill).map(({ release }) => release),
    heldBack: waybills.flatMap(({ waybill }) => (waybill ? selectHeldBack(waybill, pointer) : [])),
    owed: pointer.owed.map(({ edge, addresses }) => ({ edge, addresses: [...addresses] })),
  };
}

/** The result of `releases RELEASE`. */
export function toOneRelease(destination: string, waybill: Waybill, pointer: Pointer): OneReleaseResult {
  const heldBack = new Set(selectHeldBack(waybill, pointer));
  return {
    destination,
    ...toRelease(waybill, pointer.release),
    parcels: waybill.parcels.map(({ key, role, size, hash, headers, aliasOf, redirectsTo }) => ({
      ...{ key, role, size, hash, headers: { ...headers } },
      ...(aliasOf === undefined ? {} : { aliasOf }),
      ...(redirectsTo === undefined ? {} : { redirectsTo }),
      ...(heldBack.has(key) ? { isHeldBack: true as const } : {}),
    })),
    standing: waybill.standing.map(({ key, size, lastIn = 0 }) => ({ key, size, lastIn })),
  };
}

/** The result of `compare RELEASE RELEASE`. */
export function toReleaseComparison(
  destination: string,
  { from, to, differences }: { from: Waybill; to: Waybill; differences: readonly ReleaseDifference[] },
): ReleaseComparisonResult {
  const counts = Object.fromEntries(
    DIFFERENCES.map((kind) => [kind, differences.filter(({ change }) => change === kind).length]),
  ) as ReleaseComparisonResult["counts"];
  const edgeRules = findRuleChanges(from.edgeRules, to.edgeRules);
  return { destination, from: from.release, to: to.release, counts, changes: [...differences], edgeRules };
}

/**
 * The result of `releases hold`.
 * @param seen undefined: nobody ever held the destination
 */
export function toHoldResult(destination: string, seen: { hold: Hold | undefined } | undefined): HoldResult {
  if (!seen?.hold) return { destination, isHeld: seen !== undefined };
  const { run, work, by, host, process, at, leaseSeconds, isReleased } = seen.hold;
  return { destination, isHeld: !isReleased, hold: { run, work, by, host, process, at, leaseSeconds } };
}

/** The result of `prune`. */
export function toPruneResult(
  destination: string,
  dryRun: boolean,
  {
    decision,
    owed,
    versions,
  }: { readonly decision: PruneDecision; readonly owed: readonly string[]; readonly versions: number },
): PruneResult {
  const going = new Set(decision.removals.map(({ key }) => key));
  return {
    destination,
    dryRun,
    removed: decision.removals.map(({ key, why, size }) => ({ key, why, size })),
    bytes: decision.removals.reduce((sum, { size }) => sum + size, 0),
    waiting: [...decision.waiting],
    retained: decision.retained.map(({ release }) => release),
    foreign: decision.foreign.filter((key) => !going.has(key)),
    owed: [...owed],
    versions,
  };
}

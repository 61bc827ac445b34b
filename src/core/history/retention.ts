import { isStateKey, waybillKey, type ObjectKey, type Sha256 } from "../model/names.ts";
import { targetOf, type StepPhase } from "../model/plan.ts";
import type { DestinationState, RetainedRelease, Waybill } from "../model/release.ts";

export interface RetentionRule {
  readonly releases: number;
  /** How long a superseded release is retained, in seconds. */
  readonly forSeconds: number;
}

/** Until when a release is retained at least: both conditions must have passed. */
export interface RetainedUntil {
  readonly release: number;
  /** ISO 8601 UTC. */
  readonly at: string;
}

/**
 * The releases that stay restorable once `next` is current: the last N, those superseded less than the set time ago by
 * the store's own clock, and never for less than an edge may reuse their pages.
 * @returns of the releases before `next`, newest first
 */
export function selectRetained(
  state: DestinationState,
  next: number,
  rule: RetentionRule,
): RetainedRelease[] {
  const all = state.pointer?.retained ?? [];
  const stays = ({ release, pageFreshnessSeconds }: RetainedRelease): boolean => {
    if (release > next - rule.releases) return true;
    const agoSeconds = (state.storeTimeMs - supersededMs(state, release)) / 1000;
    return agoSeconds < Math.max(rule.forSeconds, pageFreshnessSeconds);
  };
  // The one after a release tells when that was superseded: while one stays, all that came after it stay.
  const oldest = all.filter(({ release }) => release > 0).findLast(stays)?.release ?? Infinity;
  return all.filter((release) => release.release >= oldest || stays(release));
}

/** When the release after this one was recorded; a release that is current is superseded now. */
function supersededMs(state: DestinationState, release: number): number {
  const retained = state.pointer?.retained ?? [];
  const later = retained.filter((other) => other.release > release).at(-1);
  if (!later) return state.storeTimeMs;
  const own = retained.find((candidate) => candidate.release === release);
  // Release 0 may have been made after releases with higher numbers: never superseded before it was there.
  return Math.max(recordedAtMs(state, later), own ? recordedAtMs(state, own) : 0);
}

/** When a release was recorded, by the store's clock. */
function recordedAtMs({ listing }: DestinationState, { release, run, at }: RetainedRelease): number {
  const key = waybillKey(release, run);
  return listing.find((object) => object.key === key)?.modifiedMs ?? Date.parse(at);
}

/** Until when an object is kept that `lastIn` was the last release to list. */
export function decideKeptUntil(state: DestinationState, lastIn: number, rule: RetentionRule): RetainedUntil {
  const endOf = (release: number, pageFreshnessSeconds = 0): number =>
    supersededMs(state, release) + Math.max(rule.forSeconds, pageFreshnessSeconds) * 1000;
  // It stays while one before it stays.
  const ends = (state.pointer?.retained ?? [])
    .filter(({ release }) => release > 0 && release <= lastIn)
    .map(({ release, pageFreshnessSeconds }) => endOf(release, pageFreshnessSeconds));
  return { release: lastIn + rule.releases, at: new Date(Math.max(endOf(lastIn), ...ends)).toISOString() };
}

/** Contents that some retained release lists, settings that it wrote over among them: the vault holds them until none does. */
export function selectNeededContents(retained: readonly Waybill[]): Set<Sha256> {
  return new Set(
    retained.flatMap(({ parcels, keptSettings = [], aside = [] }) => [
      ...parcels.map(({ storedHash }) => storedHash),
      ...aside.map(({ hash }) => hash),
      ...keptSettings,
    ]),
  );
}

/** What the state part holds that no retained release needs. `retained` includes the release to be made. */
export function selectExpiredState(
  state: DestinationState,
  retained: readonly { readonly release: number; readonly run: string }[],
  needed: ReadonlySet<Sha256>,
): ObjectKey[] {
  const records = new Set(retained.map(({ release, run }) => `${release}-${run}`));
  return state.listing
    .map(({ key }) => key)
    .filter((key) => {
      const record = /^\.courier\/releases\/(.+)\.ndjson\.gz$/.exec(key)?.[1];
      const content = /^\.courier\/vault\/([0-9a-f]{64})$/.exec(key)?.[1];
      return record !== undefined ? !records.has(record) : content !== undefined && !needed.has(content);
    });
}

/**
 * What may be cleared where nothing keeps two runs apart for sure: only assets that were expired already when this run
 * began, so that one more release lies between.
 */
export function selectClearable(phase: StepPhase, { pointer, waybill }: DestinationState): StepPhase {
  const retained = new Set((pointer?.retained ?? []).map(({ release }) => release));
  const standing = new Map((waybill?.standing ?? []).map(({ key, lastIn }) => [key, lastIn]));
  const groups = phase.groups.map(({ name, steps }) => ({
    name,
    steps: steps.filter((step) => {
      const lastIn = standing.get(targetOf(step));
      return isStateKey(targetOf(step))
        ? name === "ended runs"
        : lastIn !== undefined && !retained.has(lastIn);
    }),
  }));
  return { name: phase.name, groups: groups.filter(({ steps }) => steps.length > 0) };
}

import type { ForgettingLook, ForgettingTrial, HabitAnswers } from "../core/diagnosis/checkup/edge-links.ts";
import { PROBE_HEADERS, toProbeText, type ProbeKeys } from "../core/diagnosis/checkup/probes.ts";
import type { VisitorAnswer } from "../core/model/visitor-answer.ts";
import type { EdgeWait } from "../core/model/edge.ts";
import type { Sha256, UrlPath } from "../core/model/names.ts";
import type { Clock } from "../ports/clock.ts";
import { EdgeError, type Edge } from "../ports/edge.ts";
import type { ObjectStore, Content } from "../ports/object-store.ts";
import { toContent } from "./record.ts";

/** Asks as visitors do. */
type Ask = (address: UrlPath) => Promise<VisitorAnswer | undefined>;

export interface EdgeTools {
  readonly store: ObjectStore;
  readonly clock: Clock;
  readonly run: string;
  readonly keys: ProbeKeys;
  readonly ask: Ask;
  readonly addressOf: (key: string) => UrlPath;
  readonly onWait: (wait: EdgeWait) => void;
}

/** An edge, and how it is said to take patterns; undefined: it takes none, or its kind leaves no doubt. */
export interface EdgeOnTrial {
  readonly edge: Edge;
  readonly patterns?: string | undefined;
}

/** The probe's content, in one of its versions. */
export const toProbe = (run: string, version: number): Content & { readonly hash: Sha256 } =>
  toContent(Buffer.from(toProbeText(run, version)));

/**
 * Lets the edge show what it does by itself: writes over what it may hold, and asks what answers. The page's second version
 * stands afterwards.
 */
export async function watchHabits(tools: EdgeTools, isLateMissing: boolean): Promise<HabitAnswers> {
  const { store, run, keys, ask, addressOf } = tools;
  const old = toProbe(run, 1);
  const fresh = toProbe(run, 2);
  await store.put(keys.zero, old, PROBE_HEADERS.zero);
  await ask(addressOf(keys.zero));
  await ask(addressOf(keys.page));
  for (const key of [keys.zero, keys.page])
    await store.put(key, fresh, key === keys.zero ? PROBE_HEADERS.zero : PROBE_HEADERS.page);
  await store.put(keys.late, fresh, PROBE_HEADERS.zero);
  const hashOf = async (address: UrlPath): Promise<Sha256 | undefined> => (await ask(address))?.hash;
  return {
    ...{ old: old.hash, fresh: fresh.hash },
    zero: await hashOf(addressOf(keys.zero)),
    page: await hashOf(addressOf(keys.page)),
    queried: await hashOf(`${addressOf(keys.page)}?probe=${run}`),
    lateStatus: isLateMissing ? (await ask(addressOf(keys.late)))?.status : undefined,
  };
}

/** Asks each edge, from the store outwards, to let go of the page, and asks what answers then. Ends at the first that fails. */
export async function tryForgetting(
  tools: EdgeTools,
  trials: readonly EdgeOnTrial[],
  holdsOld: boolean,
): Promise<ForgettingTrial[]> {
  const seen: ForgettingTrial[] = [];
  for (const [index, { edge, patterns }] of trials.entries()) {
    const facts = { edge: edge.name, patterns };
    const failed = await invalidate(tools, edge, tools.addressOf(tools.keys.page));
    const isOutermost = index === trials.length - 1;
    // An outer edge refills from this one: what it answers tells nothing any more.
    if (failed) return [...seen, { ...facts, exact: failed }];
    const exact: ForgettingLook = isOutermost && holdsOld ? await lookFor(tools, 2) : { state: "not-held" };
    const isTried = isOutermost && exact.state === "new" && patterns !== undefined && patterns !== "";
    seen.push({ ...facts, exact, pattern: isTried ? await tryPattern(tools, edge) : undefined });
  }
  return seen;
}

async function tryPattern(tools: EdgeTools, edge: Edge): Promise<ForgettingLook> {
  const { store, run, keys, addressOf } = tools;
  await store.put(keys.page, toProbe(run, 3), PROBE_HEADERS.page);
  return (await invalidate(tools, edge, `${addressOf(keys.folder)}*`)) ?? (await lookFor(tools, 3));
}

async function invalidate(
  { run, onWait, clock }: EdgeTools,
  edge: Edge,
  pattern: UrlPath,
): Promise<ForgettingLook | undefined> {
  try {
    const request = { patterns: [pattern], run, onWait };
    await edge.forget(request);
    await clock.sleep(edge.confirmation.settle * 1000);
    await edge.forget(request);
    return undefined;
  } catch (error) {
    if (!(error instanceof EdgeError)) throw error;
    return { state: "failed", failure: error.failure };
  }
}

const LOOKS = 8;
const LOOK_MS = 250;

/** A soft purge serves the old copy once more: so it is looked at more than once. */
async function lookFor(
  { ask, addressOf, keys, run, clock }: EdgeTools,
  version: number,
): Promise<ForgettingLook> {
  for (let looked = 1; ; looked++) {
    const answer = await ask(addressOf(keys.page));
    if (answer?.hash === toProbe(run, version).hash) return { state: "new" };
    if (looked === LOOKS) return { state: "old" };
    await clock.sleep(LOOK_MS);
  }
}

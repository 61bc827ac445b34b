import type { ProbeKeys } from "../core/diagnosis/checkup/probes.ts";
import type { ObjectKey, Sha256 } from "../core/model/names.ts";
import { isProbe, PROBE_HEADERS, PROBE_PREFIXES, toProbeText } from "../core/diagnosis/checkup/probes.ts";
import {
  judgeConditions,
  judgeRecords,
  toDenied,
  type ConditionAnswer,
} from "../core/diagnosis/checkup/store-links.ts";
import { rightFor } from "../core/bucket/rights.ts";
import type { StoreAction } from "../core/model/store-action.ts";
import { good, type Link } from "../core/diagnosis/checkup/link.ts";
import { StoreError, type Condition, type ObjectStore } from "../ports/object-store.ts";
import { toContent } from "./record.ts";

export interface StoreTrialFacts {
  readonly run: string;
  readonly keys: ProbeKeys;
  /** The site's address; empty: none is known. */
  readonly url: string;
  /** Whether a visitor gets the record that stands there; undefined: nobody answers, or no address is known. */
  readonly isServed: (hash: Sha256) => Promise<boolean | undefined>;
}

export interface StoreTrial {
  readonly links: readonly Link[];
  /** Whether objects can be written at all. */
  readonly canWrite: boolean;
}

/**
 * Does once what a delivery does, with an object of its own: writes, reads, copies, looks for unfinished uploads, removes.
 * Goes on past a refusal. *Fail:* a probe may stay in the tool's own part; nothing else was touched.
 */
export async function tryStore(
  store: ObjectStore,
  { run, keys, url, isServed }: StoreTrialFacts,
): Promise<StoreTrial> {
  const denials: Link[] = [];
  const attempt = async <T>(work: () => Promise<T>): Promise<T | undefined> => {
    try {
      return await work();
    } catch (error) {
      if (!(error instanceof StoreError) || error.kind !== "denied") throw error;
      denials.push(toDenied({ kind: error.kind, ...error.facts }, store.location));
      return undefined;
    }
  };
  await clearLeftovers(store);
  const content = toContent(Buffer.from(toProbeText(run, 1)));
  const copied = `${keys.own}.copy`;
  const written = await attempt(() => store.put(keys.own, content, PROBE_HEADERS.own));
  if (written) {
    await attempt(async () => (await store.get(keys.own))?.body);
    await attempt(() => store.copy({ key: keys.own }, copied));
  }
  await attempt(() => store.abandonUploads(new Set([keys.own])));
  const conditions = written ? [judgeConditions(await tryCondition(store, keys.own))] : [];
  const isFolder = store.location.bucket === "";
  const records = written
    ? [
        judgeRecords({
          url,
          isServed: await isServed(content.hash),
          isPublic: isFolder ? undefined : await store.isPublic(keys.own),
        }),
      ]
    : [];
  await attempt(() => store.remove([keys.own, copied]));
  const rights =
    denials.length > 0 ? dedupe(denials) : [good("rights", { code: "work" }, { code: "all-rights" })];
  return { links: [...rights, ...conditions, ...records], canWrite: written !== undefined };
}

/** What an earlier try left when it was killed; a younger one may be somebody's who is trying now. */
async function clearLeftovers(store: ObjectStore): Promise<void> {
  const left: ObjectKey[] = [];
  try {
    for (const below of PROBE_PREFIXES)
      for await (const { objects, storeTimeMs = 0 } of store.list(below))
        for (const { key, modifiedMs } of objects)
          if (isProbe(key) && storeTimeMs - modifiedMs > LEFTOVER_MS) left.push(key);
    if (left.length > 0) await store.remove(left);
  } catch (error) {
    // Rights that lack are told by the tries that need them.
    if (!(error instanceof StoreError) || error.kind !== "denied") throw error;
  }
}

const LEFTOVER_MS = 60 * 60_000;

async function tryCondition(store: ObjectStore, key: string): Promise<ConditionAnswer> {
  const content = toContent(Buffer.from("what must not be written\n"));
  const impossible: Condition = { ifAbsent: true };
  try {
    await store.put(key, content, PROBE_HEADERS.own, impossible);
    return "ignored";
  } catch (error) {
    if (!(error instanceof StoreError)) throw error;
    if (error.kind === "precondition") return "checked";
    if (error.kind === "conditions-unsupported") return "unsupported";
    throw error;
  }
}

/** One right is told once, however many requests need it. */
const dedupe = (links: readonly Link[]): Link[] => [
  ...new Map(links.map((link) => [toRight(link), link])).values(),
];

const toRight = ({ cause, names }: Link): string => {
  const { action } = (names ?? {}) as { readonly action?: StoreAction };
  return `${cause} ${action === undefined ? "" : rightFor(action).name}`;
};

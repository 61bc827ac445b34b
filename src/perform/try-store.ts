import type { ProbeKeys } from "../core/diagnosis/checkup/probes.ts";
import type { ObjectKey, Sha256 } from "../core/model/names.ts";
import { isProbe, PROBE_HEADERS, PROBE_PREFIXES, toProbeText } from "../core/diagnosis/checkup/probes.ts";
import type { ConditionAnswer, StoreFailure, StoreTrial } from "../core/diagnosis/checkup/store-links.ts";
import { StoreError, type Condition, type ObjectStore } from "../ports/object-store.ts";
import { toContent } from "./record.ts";

export interface StoreTrialFacts {
  readonly run: string;
  readonly keys: ProbeKeys;
  /** Whether a visitor gets the record that stands there; undefined: nobody answers, or no address is known. */
  readonly isServed: (hash: Sha256) => Promise<boolean | undefined>;
}

/**
 * Does once what a delivery does, with an object of its own: writes, reads, copies, looks for unfinished uploads, removes.
 * Goes on past a refusal. *Fail:* a probe may stay in the tool's own part; nothing else was touched.
 */
export async function tryStore(
  store: ObjectStore,
  { run, keys, isServed }: StoreTrialFacts,
): Promise<StoreTrial> {
  const denials: StoreFailure[] = [];
  const attempt = async <T>(task: () => Promise<T>): Promise<T | undefined> => {
    try {
      return await task();
    } catch (error) {
      if (!(error instanceof StoreError) || error.kind !== "denied") throw error;
      denials.push({ kind: error.kind, ...error.facts });
      return undefined;
    }
  };
  await clearLeftovers(store);
  const content = toContent(Buffer.from(toProbeText(run, 1)));
  const [copied, made] = [`${keys.own}.copy`, `${keys.own}.made`];
  const isFolder = store.location.bucket === "";
  const written = await attempt(() => store.put(keys.own, content, PROBE_HEADERS.own));
  if (written) {
    await attempt(async () => (await store.get(keys.own))?.body);
    await attempt(() => store.copy({ key: keys.own }, copied));
    // Disks differ in how a file comes about that nobody else may have made.
    if (isFolder) await attempt(() => store.put(made, content, PROBE_HEADERS.own, { ifAbsent: true }));
  }
  await attempt(() => store.abandonUploads(new Set([keys.own])));
  const condition = written && (await tryCondition(store, keys.own));
  const records = written && {
    isServed: await isServed(content.hash),
    isPublic: isFolder ? undefined : await store.isPublic(keys.own),
  };
  await attempt(() => store.remove([keys.own, copied, ...(isFolder ? [made] : [])]));
  return { denials, canWrite: written !== undefined, condition, records };
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
    // Missing rights are told by the tries that need them.
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

import { toKeptPointer } from "../core/compare/key-state.ts";
import { isToProlong } from "../core/history/previews.ts";
import { POINTER_KEY } from "../core/model/names.ts";
import type { DestinationState } from "../core/model/release.ts";
import { readPointer } from "../gather/read-destination.ts";
import { switchPointer } from "../perform/record.ts";
import type { ObjectStore } from "../ports/object-store.ts";
import type { DeliveryResult } from "../results/delivery.ts";
import { planAgain, planOutlook, type BuildOutlook } from "./outlook.ts";
import { runRelease, type DeliverOptions } from "./run-release.ts";
import { withHold } from "./hold.ts";
import type { Delivery, PreviewPlace, Stay } from "./run.ts";
import { toPreviewRecord } from "./write-release.ts";

export interface BuildOptions extends DeliverOptions {
  /** Is shown what is decided, each time that it is. */
  readonly see?: (outlook: BuildOutlook) => void;
}

/**
 * Makes a destination match a build.
 * What each phase guarantees and leaves behind: docs/order-of-effects.md.
 */
export async function deliver(delivery: Delivery, options: BuildOptions): Promise<DeliveryResult> {
  const plan = async (planning: Promise<BuildOutlook>): Promise<BuildOutlook> => {
    const outlook = await planning;
    options.see?.(outlook);
    return outlook;
  };
  const result = await runRelease<BuildOutlook>(delivery, options, {
    work: "deliver",
    source: delivery.source,
    folderOf: ({ build }) => build.folder,
    plan: () => plan(planOutlook(delivery)),
    planAgain: ({ build }) => plan(planAgain(delivery, build)),
  });
  const { preview } = delivery.place;
  if (!preview || options.dryRun || result.release !== result.previous) return result;
  const until = await prolong(delivery, preview, options.queueSeconds ?? 0);
  return until === undefined || !result.preview
    ? result
    : { ...result, preview: { ...result.preview, until } };
}

/** The time of a preview begins anew with a delivery that changed nothing, too: somebody still wants it. @returns its new end */
async function prolong(stay: Stay, preview: PreviewPlace, queueSeconds: number): Promise<string | undefined> {
  const { run, place } = stay;
  const isDue = async (): Promise<Awaited<ReturnType<typeof readPointer>>> => {
    const found = await readPointer(place.store);
    const nowMs = run.clock.now().getTime();
    return found && isToProlong(found.pointer, preview.lastsSeconds, nowMs) ? found : undefined;
  };
  if (!(await isDue())) return undefined;
  return withHold(stay, { work: "deliver", queueSeconds }, async () => {
    const found = await isDue();
    if (!found) return undefined;
    const record = toPreviewRecord(preview);
    const { listing, storeTimeMs } = await listPointer(place.store);
    const kept = toKeptPointer(found.pointer, { listing, storeTimeMs });
    await switchPointer(place.store, { ...kept, preview: record }, found.etag);
    return record.until;
  });
}

/** The list of just the pointer: the date of what was announced must not become another one with it. */
async function listPointer(store: ObjectStore): Promise<Pick<DestinationState, "listing" | "storeTimeMs">> {
  for await (const { objects, storeTimeMs = 0 } of store.list(POINTER_KEY))
    return { listing: objects, storeTimeMs };
  return { listing: [], storeTimeMs: 0 };
}

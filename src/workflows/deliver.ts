import type { DeliveryResult } from "../results/delivery.ts";
import { planAgain, planOutlook, type BuildOutlook } from "./outlook.ts";
import { runRelease, type DeliverOptions } from "./run-release.ts";
import type { Delivery } from "./run.ts";

/**
 * Makes a destination match a build.
 * What each phase guarantees and leaves behind: docs/order-of-effects.md.
 */
export const deliver = (delivery: Delivery, options: DeliverOptions): Promise<DeliveryResult> =>
  runRelease<BuildOutlook>(delivery, options, {
    work: "deliver",
    source: delivery.source,
    folderOf: ({ build }) => build.folder,
    plan: () => planOutlook(delivery),
    planAgain: ({ build }) => planAgain(delivery, build),
  });

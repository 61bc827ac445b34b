import type { DeliveryResult } from "../results/delivery.ts";
import type { Delivery } from "./delivery.ts";
import { planAgain, planOutlook } from "./outlook.ts";
import { runRelease, type DeliverOptions } from "./run-release.ts";

/**
 * Makes a destination match a build.
 * What each phase guarantees and leaves behind: docs/order-of-effects.md.
 */
export const deliver = (delivery: Delivery, options: DeliverOptions): Promise<DeliveryResult> =>
  runRelease(delivery, options, {
    work: "deliver",
    plan: () => planOutlook(delivery),
    planAgain: (outlook) => planAgain(delivery, outlook.build),
  });

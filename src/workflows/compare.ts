import { toDeliveryResult } from "../results/to-delivery.ts";
import type { DeliveryResult } from "../results/delivery.ts";
import type { Delivery } from "./delivery.ts";
import { planOutlook } from "./outlook.ts";
import { assertNotRefused } from "./refuse.ts";

/** What a delivery would do, as the same object that it would report; writes nothing. */
export async function compare(
  delivery: Delivery,
  options: { readonly all: boolean },
): Promise<DeliveryResult> {
  const { target, requests } = delivery;
  const outlook = await planOutlook(delivery);
  assertNotRefused(outlook, delivery.report);
  const { decision, state, parcels } = outlook;
  return toDeliveryResult({
    ...target,
    decision,
    state,
    parcels,
    all: options.all,
    dryRun: true,
    requests,
    phases: [],
    confirmed: new Set(),
  });
}

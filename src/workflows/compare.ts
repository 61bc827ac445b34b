import type { DeliveryResult } from "../results/delivery.ts";
import type { BuildOptions } from "./deliver.ts";
import { planOutlook } from "./outlook.ts";
import { assertNotRefused } from "./refuse.ts";
import { toResult } from "./run-release.ts";
import type { Delivery } from "./run.ts";

/** What a delivery would do, as the same object that it would report; writes nothing. */
export async function compare(
  delivery: Delivery,
  options: { readonly all: boolean } & Pick<BuildOptions, "see">,
): Promise<DeliveryResult> {
  const outlook = await planOutlook(delivery);
  options.see?.(outlook);
  assertNotRefused(outlook.decision, outlook.build.folder, delivery.run.report);
  return toResult(
    delivery,
    outlook,
    { ...options, dryRun: true },
    { phases: [], outcomes: [], heldBack: new Set() },
  );
}

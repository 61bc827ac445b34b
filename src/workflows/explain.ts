import { OperatorError } from "../core/model/failure.ts";
import { findNearest } from "../core/model/nearest.ts";
import { explainFile, type Explanation } from "../results/explanation.ts";
import { planOutlook } from "./outlook.ts";
import type { Delivery } from "./run.ts";

/** Explains files of the build, what a delivery would do with them included. Throws `no-such-file`. */
export async function explain(delivery: Delivery, names: readonly string[]): Promise<Explanation[]> {
  const outlook = await planOutlook(delivery);
  const { wanted, build, decision } = outlook;
  return names.map((name) => {
    const found = explainFile(name, outlook, delivery.place.siteRules.addressRules, decision.comparison);
    if (found) return found;
    const nearest = findNearest(
      name,
      wanted.parcels.map(({ key }) => key),
    );
    throw new OperatorError("no-such-file", { name, folder: build.folder, nearest });
  });
}

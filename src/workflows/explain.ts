import { OperatorError } from "../core/model/failure.ts";
import { explainFile, type Explanation } from "../results/explanation.ts";
import { findNearest } from "../core/model/nearest.ts";
import type { Delivery } from "./delivery.ts";
import { planOutlook } from "./outlook.ts";

/** Explains files of the build, what a delivery would do with them included. Throws `no-such-file`. */
export async function explain(delivery: Delivery, names: readonly string[]): Promise<Explanation[]> {
  const { analysis, decision } = await planOutlook(delivery);
  return names.map((name) => {
    const found = explainFile(name, analysis, delivery.target.addresses, decision.comparison);
    if (found) return found;
    const nearest = findNearest(
      name,
      analysis.parcels.map(({ key }) => key),
    );
    throw new OperatorError("no-such-file", { name, folder: delivery.target.buildFolder, nearest });
  });
}

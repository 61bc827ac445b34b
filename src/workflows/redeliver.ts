import { OperatorError } from "../core/model/failure.ts";
import { selectForgotten } from "../core/history/forgotten.ts";
import type { DeliveryWarning } from "../core/delivery/decide.ts";
import { findRelease, listReleaseNames } from "../core/history/release-names.ts";
import type { DeliveryResult } from "../results/delivery.ts";
import { findGoneContents, toWayBack } from "../core/delivery/way-back.ts";
import { readDestination, readWaybill } from "../gather/read-destination.ts";
import type { Delivery } from "./delivery.ts";
import { decideOutlook, type Outlook } from "./outlook.ts";
import { runRelease, type DeliverOptions } from "./run-release.ts";

/**
 * Puts an earlier release back without a build: copies inside the store only, in the same order and as safe as a delivery.
 * It makes a release with a number of its own. Throws `no-such-release`, `content-gone`, and what a delivery throws.
 */
export function redeliver(
  delivery: Delivery,
  name: string,
  options: DeliverOptions,
): Promise<DeliveryResult> {
  // The name is settled once: `previous` is another release as soon as another run has delivered.
  let chosen = name;
  const plan = async (): Promise<Outlook> => {
    const { outlook, release } = await planWayBack(delivery, chosen);
    chosen = String(release);
    return outlook;
  };
  return runRelease(delivery, options, { work: "redeliver", plan, planAgain: plan });
}

async function planWayBack(delivery: Delivery, name: string): Promise<{ outlook: Outlook; release: number }> {
  const { store, target } = delivery;
  const state = await readDestination(store, target.destination);
  if (!state.pointer) throw new OperatorError("nothing-delivered", { destination: target.destination });
  const found = findRelease(name, state.pointer);
  if (!found) throw new OperatorError("no-such-release", { name, names: listReleaseNames(state.pointer) });
  const release = found.release === state.waybill?.release ? state.waybill : await readWaybill(store, found);
  const { analysis, leftOut } = toWayBack(release, state.waybill, {
    forgotten: selectForgotten(state),
    ownsWebsite: target.ownsWebsite,
  });
  const decided = await decideOutlook(delivery, state, analysis, true);
  const gone = findGoneContents(decided.decision.plan);
  if (gone.length > 0) throw new OperatorError("content-gone", { release: found.release, keys: gone });
  const warnings: DeliveryWarning[] = [
    ...decided.decision.warnings,
    ...(leftOut.length > 0 ? [{ code: "left-out", keys: leftOut } as const] : []),
  ];
  const outlook = { ...decided, build: NO_BUILD, decision: { ...decided.decision, warnings } };
  delivery.report({
    event: "gathered",
    what: `release ${found.release}`,
    files: analysis.parcels.length,
    bytes: analysis.parcels.reduce((sum, { size }) => sum + size, 0),
    objects: state.listing.length,
  });
  return { outlook: { ...outlook, redelivers: found.release }, release: found.release };
}

const NO_BUILD = { folder: "", files: [], namedTokens: new Set<string>(), withheld: [] };

import { findFileNameProblems } from "../core/build/names-check.ts";
import type { SiteRules } from "../core/build/site-rules.ts";
import { takeCaseOf } from "../core/compare/fold-case.ts";
import type { DeliveryWarning } from "../core/delivery/decide.ts";
import { findGoneContents, fromRelease } from "../core/history/way-back.ts";
import { selectForgotten } from "../core/history/forgotten.ts";
import { OperatorError } from "../core/model/failure.ts";
import type { ObjectKey } from "../core/model/names.ts";
import type { Waybill } from "../core/model/release.ts";
import { releaseOf } from "../core/model/wanted.ts";
import { readDestination } from "../gather/read-destination.ts";
import type { DeliveryResult } from "../results/delivery.ts";
import { readNamed } from "./named-release.ts";
import { decideOutlook, type Outlook } from "./outlook.ts";
import { runRelease, type DeliverOptions } from "./run-release.ts";
import type { Stay } from "./run.ts";

/**
 * Puts an earlier release back without a build: copies inside the store only, in the same order and as safe as a delivery.
 * It makes a release with a number of its own. Throws `no-such-release`, `content-gone`, `rules-unplaced`, and what a delivery throws.
 */
export const redeliver = (stay: Stay, name: string, options: DeliverOptions): Promise<DeliveryResult> =>
  runRelease(stay, options, {
    work: "redeliver",
    plan: () => planWayBack(stay, name),
    // The name is settled once: `previous` is another release as soon as another run has delivered.
    planAgain: ({ wanted }) => planWayBack(stay, String(releaseOf(wanted.origin) ?? name)),
  });

/** Whether addresses of a release answer only through what the edge does by itself. */
const needsFunction = ({ edgeRules }: Waybill): boolean =>
  edgeRules !== undefined && (edgeRules.pages !== undefined || edgeRules.redirects.length > 0);

/** What can't be written is said before the first write. Throws `refused`. */
function assertNamesFit({ endpoint: { plainNames } }: SiteRules, keys: readonly ObjectKey[]): void {
  const problems = plainNames === false ? [] : findFileNameProblems(keys, plainNames);
  if (problems.length > 0) throw new OperatorError("refused", { problems });
}

async function planWayBack(stay: Stay, name: string): Promise<Outlook> {
  const { run, place } = stay;
  const { store, destination, siteRules } = place;
  const found = await readDestination(store, destination);
  if (!found.pointer) throw new OperatorError("nothing-delivered", { destination });
  const release = await readNamed(store, found.pointer, name, found.waybill);
  const keys = release.parcels.map(({ key }) => key);
  assertNamesFit(siteRules, keys);
  const state = takeCaseOf(found, keys);
  if (needsFunction(release) && siteRules.endpoint.edge?.carriesRules !== true)
    throw new OperatorError("rules-unplaced", { release: release.release, destination });
  const { wanted, leftOut } = fromRelease(release, state.waybill, {
    forgotten: selectForgotten(state),
    ownsWebsite: siteRules.endpoint.ownsWebsite,
    carriesEdgeRules: place.ruleKeeper !== undefined,
  });
  const decided = await decideOutlook(stay, { wanted, state, problems: [] });
  const gone = findGoneContents(decided.plan);
  if (gone.length > 0) throw new OperatorError("content-gone", { release: release.release, keys: gone });
  run.report({
    event: "gathered",
    what: `release ${release.release}`,
    files: wanted.parcels.length,
    bytes: wanted.parcels.reduce((sum, { size }) => sum + size, 0),
    objects: state.listing.length,
  });
  const left: DeliveryWarning[] = leftOut.length > 0 ? [{ code: "left-out", keys: leftOut }] : [];
  return { wanted, state, decision: { ...decided, warnings: [...decided.warnings, ...left] } };
}

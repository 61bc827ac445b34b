import { encodeKey } from "../addresses/addresses.ts";
import { applyRules } from "../edge-rules/apply.ts";
import type { Comparison } from "../compare/compare.ts";
import type { Withdrawn } from "../compare/withdrawn.ts";
import { selectForgotten } from "../history/forgotten.ts";
import { isAssetLike } from "../model/role.ts";
import type { ObjectKey, Sha256 } from "../model/names.ts";
import type { DestinationState } from "../model/release.ts";
import type { Problem, ProblemCode } from "../model/problem.ts";
import type { Wanted } from "../model/wanted.ts";

export interface GuardFacts {
  readonly site: string;
  /** Of an earlier release that is put back only the store itself can speak: nothing may stand between a person and the way back. */
  readonly wanted: Pick<Wanted, "origin" | "aside" | "edgeRules" | "parcels">;
  /** What is wrong with the build; errors are refusals. */
  readonly problems: readonly Problem[];
  /** The number that this delivery was given, for builds that may come out of order. */
  readonly sequence?: number | undefined;
  /** Where an anonymous reader got the state part: from the store itself, or at the site's own address. */
  readonly exposedAt: "store" | "site" | undefined;
  readonly state: DestinationState;
  /** Contents that were removed for good at the destination that this one is a preview of; absent: it is none. */
  readonly forgottenElsewhere?: ReadonlySet<Sha256> | undefined;
  readonly comparison: Comparison;
  /** What the settings take away on purpose. */
  readonly withdrawn?: Withdrawn;
  /** The share of addresses that may stop answering, 0 to 1. */
  readonly vanishShare: number;
}

/** Below this many, addresses may always go. */
const VANISH_FLOOR = 10;

/** Guards that no option lifts: without a build there is nothing to deliver. */
const FINAL = new Set<ProblemCode>(["empty-build"]);
export const GUARD_CODES = [
  "no-entry",
  "wrong-folder",
  "never-ship",
  "missing-asset",
  "wrong-base",
  "case-clash",
  "unfit-name",
  "too-much-metadata",
  "bare-breaks-references",
  "redirect-loop",
  "redirect-unplaced",
  "worker-vanishes",
  "vanish",
  "other-site",
  "fingerprint-reused",
  "older",
  "exposed",
  "forgotten",
] as const satisfies readonly ProblemCode[];
export type Guard = (typeof GUARD_CODES)[number];

/** Whether `--allow` lifts it. */
export const canLift = (code: string): boolean =>
  (GUARD_CODES as readonly string[]).includes(code) && !FINAL.has(code as ProblemCode);

/** Everything that speaks against this delivery, lifted guards left out. */
export function findRefusals(facts: GuardFacts, allowed: ReadonlySet<string>): Problem[] {
  const ofBuild = [
    ...facts.problems.filter(({ severity }) => severity === "error"),
    findVanishing(facts),
    findOlder(facts),
    ...findForgotten(facts),
  ];
  const all = [...(isWayBack(facts) ? [] : ofBuild), findOtherSite(facts), findExposed(facts)];
  return all.filter(
    (problem) => problem !== undefined && (FINAL.has(problem.code) || !allowed.has(problem.code)),
  ) as Problem[];
}

/** Pages, documents and other names that answer now and would not afterwards; assets stay for open tabs. */
function findVanishing(facts: GuardFacts): Problem | undefined {
  const { state, comparison, withdrawn, vanishShare } = facts;
  const counted = (state.waybill?.parcels ?? []).filter(({ role }) => !isAssetLike(role));
  const meant = new Set(withdrawn?.going);
  const going = comparison.stale.filter(
    ({ recorded: { key, role } }) => !isAssetLike(role) && !meant.has(key),
  );
  const isFew = (count: number): boolean => count <= VANISH_FLOOR || count <= counted.length * vanishShare;
  if (isFew(going.length)) return undefined;
  const isLed = createLeader(facts.wanted);
  const keys = going.map(({ recorded }) => recorded.key).filter((key) => !isLed(key));
  if (isFew(keys.length)) return undefined;
  return { code: "vanish", severity: "error", facts: { keys, of: counted.length } };
}

/** A function that tells whether the edge answers in the place of an object that goes. */
function createLeader({ edgeRules, parcels }: GuardFacts["wanted"]): (key: ObjectKey) => boolean {
  if (!edgeRules) return () => false;
  const { basePath } = edgeRules;
  const present = new Set(parcels.map(({ key }) => basePath + encodeKey(key)));
  return (key) => {
    const turned = applyRules(edgeRules, basePath + encodeKey(key));
    return turned.kind === "redirect" || present.has(turned.path);
  };
}

function findOtherSite({ state, site }: GuardFacts): Problem | undefined {
  const found = state.pointer?.site;
  if (found === undefined || found === site) return undefined;
  return { code: "other-site", severity: "error", facts: { site: found } };
}

/** A later build is live: this one would take the site back. */
function findOlder({ state, sequence }: GuardFacts): Problem | undefined {
  const live = state.waybill?.sequence;
  if (sequence === undefined || live === undefined || live <= sequence) return undefined;
  return { code: "older", severity: "error", facts: { sequence, live } };
}

/** What was removed for good would be delivered again. */
function findForgotten({ state, forgottenElsewhere, comparison, wanted }: GuardFacts): Problem[] {
  const forgotten = new Set([...selectForgotten(state), ...(forgottenElsewhere ?? [])]);
  return [...comparison.changes.map(({ parcel }) => parcel), ...(wanted.aside ?? [])]
    .filter(({ storedHash }) => forgotten.has(storedHash))
    .map(({ key: path }) => ({ code: "forgotten", severity: "error", path, facts: {} }));
}

const isWayBack = ({ wanted }: GuardFacts): boolean => wanted.origin.from === "release";

function findExposed(facts: GuardFacts): Problem | undefined {
  const { exposedAt: at } = facts;
  if (at === undefined || (isWayBack(facts) && at === "site")) return undefined;
  return { code: "exposed", severity: "error", facts: { at } };
}

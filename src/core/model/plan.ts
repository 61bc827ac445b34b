import type { ObjectKey, Sha256, UrlPath } from "./names.ts";
import type { OwedInvalidation } from "./release.ts";
import type { ObjectHeaders, Parcel } from "./parcel.ts";
import type { Role } from "./role.ts";

/** The phases that a delivery goes through, in this order (docs/order-of-effects.md). */
export const PHASES = [
  "keep",
  "stock",
  "unmask",
  "probe",
  "switch",
  "rules",
  "record",
  "invalidate",
  "announce",
  "clear",
] as const;
export type PhaseName = (typeof PHASES)[number];

/** What must stand under a key before a step touches it. */
export type Expected = "absent" | { readonly etag: string };

/** One phase of those that a run will go through: how many steps it has, and how many bytes are sent. */
export interface PlannedPhase {
  readonly phase: PhaseName;
  readonly steps: number;
  readonly bytes: number;
}

export interface SendStep {
  readonly do: "send";
  readonly parcel: Parcel;
  /** Where to, if not under the parcel's own key: into the vault. */
  readonly to?: ObjectKey;
  readonly expected: Expected;
}

/** Where keys begin that are none of this destination's. */
export interface OtherPlace {
  readonly bucket: string;
  /** Empty, or ends in a slash. */
  readonly prefix: string;
}

/** A content that stands at another destination, and can be copied from there. */
export interface OutsideContent {
  readonly place: OtherPlace;
  readonly key: ObjectKey;
  readonly etag: string;
}

/** A copy inside the store; nothing is sent. */
export interface CopyStep {
  readonly do: "copy";
  readonly from: ObjectKey;
  /** Where `from` stands; absent: at this destination. */
  readonly place?: OtherPlace;
  /** Absent: the source is written by an earlier phase of the same plan. */
  readonly fromEtag?: string;
  readonly to: ObjectKey;
  /** Absent: the copy keeps the headers of its source. */
  readonly headers?: ObjectHeaders;
  readonly storedHash: Sha256;
  readonly size: number;
  /** The ETag should change though the bytes stay: caches that revalidate would keep the old headers otherwise. */
  readonly freshEtag?: true;
  readonly role?: Role;
  readonly expected: Expected;
}

export interface RemoveStep {
  readonly do: "remove";
  readonly key: ObjectKey;
  readonly etag: string;
  readonly size: number;
}

export type Step = SendStep | CopyStep | RemoveStep;

/** Steps of one group may run side by side; a group starts when the one before it has ended. */
export interface StepGroup {
  readonly name: string;
  readonly steps: readonly Step[];
}

/** The group of a switch that removes what is gone: the last one. */
export const REMOVALS = "removals";

export interface StepPhase {
  readonly name: "keep" | "stock" | "switch" | "announce" | "clear";
  readonly groups: readonly StepGroup[];
}

/** What one edge is asked to let go of. */
export interface EdgeInvalidation {
  /** Its name. */
  readonly edge: string;
  /** What it is. */
  readonly identity: string;
  /** What may be held wrongly; one that ends with `*` is everything that begins so. */
  readonly addresses: readonly UrlPath[];
  /** What is asked for, so that all of these go. */
  readonly patterns: readonly UrlPath[];
  /** Right copies that go along. */
  readonly collateral: AddressWeight;
  /** By how many bytes a better set of patterns could beat this one at most; 0: there is none. */
  readonly gap: number;
  /** Right copies that would go along if all were asked for. */
  readonly everything: AddressWeight;
  /** What would do if the edge held one copy for all queries; absent: it is known whether it does. */
  readonly withoutQueries?: { readonly patterns: number; readonly collateral: AddressWeight };
}

export interface AddressWeight {
  readonly addresses: number;
  readonly bytes: number;
}

/** All that a delivery will do: plain data, printed by `compare` and carried out by `deliver`. */
export interface Plan {
  readonly release: number;
  readonly previous: number;
  readonly phases: readonly StepPhase[];
  /** Asked for before the switch: new assets that an edge may hold as missing. */
  readonly unmaskings: readonly EdgeInvalidation[];
  /** Asked for once the release is recorded. */
  readonly invalidations: readonly EdgeInvalidation[];
  /** Asked for once the workers are announced. */
  readonly lateInvalidations: readonly EdgeInvalidation[];
  /** What edges may hold wrongly once this has begun: written down before the first write (O9). */
  readonly owed: readonly OwedInvalidation[];
}

/** The key that a step writes or removes. */
export const targetOf = (step: Step): ObjectKey =>
  step.do === "send" ? (step.to ?? step.parcel.key) : step.do === "copy" ? step.to : step.key;

/** All steps of a phase, in their order. */
export const stepsOf = (phase: StepPhase): Step[] => phase.groups.flatMap((group) => [...group.steps]);

/** The phase of this name; one without steps where the plan has none. */
export const phaseOf = (plan: Plan, name: StepPhase["name"]): StepPhase =>
  plan.phases.find((phase) => phase.name === name) ?? { name, groups: [] };

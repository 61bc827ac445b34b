import type { ObjectKey, Sha256 } from "../core/model/names.ts";
import type { Parcel } from "../core/model/parcel.ts";
import type { StepPhase } from "../core/model/plan.ts";
import type { Pace } from "../core/delivery/pace.ts";
import type { Clock } from "../ports/clock.ts";
import type { Content, ObjectStore } from "../ports/object-store.ts";
import type { Reporter } from "../ports/reporter.ts";

/** What the steps of a plan are carried out with. */
export interface PerformTools {
  readonly store: ObjectStore;
  readonly clock: Clock;
  readonly report: Reporter;
  /** The content of a file of the build. */
  readonly open: (parcel: Parcel) => Content;
  /** How many steps go side by side; learns from how they go. */
  readonly pace: Pace;
  /** Which writes carry the state that they expect. */
  readonly conditions: Conditions;
  /** Throws where a person has stopped the run: no step is begun after that. */
  readonly assertGoesOn: () => void;
  /** Asked before each batch of removals: throws where it is no longer this run's to clear. */
  readonly assertClearing?: ((phase: StepPhase) => Promise<void>) | undefined;
  /** The build's own file under a key, to be sent where a copy went wrong. */
  readonly findParcel: (key: ObjectKey) => Parcel | undefined;
  /** A file of the build with this content, as it is stored. */
  readonly findContent: (storedHash: Sha256) => Parcel | undefined;
  /** Told of objects that were to be cleared and stay, since somebody else has written there. */
  readonly noteLeft?: ((key: ObjectKey) => void) | undefined;
}

/** What the store was seen to check. Found out at the first of each kind that is refused though it holds; then done without. */
export interface Conditions {
  sends: boolean;
  /** What stands at the target of a copy. */
  copies: boolean;
  /** That the source of a copy is still the same, where it was sent in parts. */
  sourcesOfParts: boolean;
  removals: boolean;
}

/** @param areChecked whether the store was seen to check those of what is sent, and may check the others */
export const toConditions = (areChecked: boolean): Conditions => ({
  sends: areChecked,
  copies: areChecked,
  sourcesOfParts: true,
  removals: areChecked,
});

import type { EdgeRules, RuleMeans } from "../core/model/edge-rules.ts";

/**
 * What an edge does by itself with requests and answers, as a release says it.
 *
 * Calling sequence: `give`, then `isEverywhere` until it is true.
 * Guaranteed: each of its means is switched whole, and one that has its rules already is not touched. Any failure is a
 * `ControlError`; the same call later goes on from there.
 * Not guaranteed: that what was given counts at once.
 */
export interface EdgeRuleKeeper {
  /** The distribution. */
  readonly id: string;
  /** Seconds until it counts as not deployed. */
  readonly deployedWithin: number;
  give(rules: EdgeRules): Promise<void>;
  /** The content security policy that binds pages now; undefined: none. */
  readPolicy(): Promise<string | undefined>;
  /** Binds pages by another, and leaves all else as it is; undefined: by none. */
  bindPolicy(text: string | undefined): Promise<void>;
  isEverywhere(): Promise<boolean>;
  /** The means that have something else. */
  findOther(rules: EdgeRules): Promise<readonly RuleMeans[]>;
  close(): void;
}

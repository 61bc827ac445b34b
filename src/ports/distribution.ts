import type { Reading } from "../core/model/bucket.ts";
import type {
  CertificateFacts,
  ControlAction,
  DistributionFacts,
  DistributionSetup,
} from "../core/model/distribution.ts";
import type { EdgeFailure } from "../core/model/edge.ts";

/**
 * Distributions, as their owner sets them up: how they are configured, not what they hold.
 *
 * Calling sequence: `read` one, or `find` and `make` one; then `change` it, and `read` until it is deployed.
 * Guaranteed: `change` changes what it is told and nothing else, and only what was read last: where somebody has changed
 * it meanwhile, it fails as `changed`. `make` with the same mark and setup makes one only. Any failure is a `ControlError`.
 * Not guaranteed: that what was changed counts at once. `isDeployed` says so.
 */
export interface DistributionControl {
  /** Undefined: there is none of this id. */
  read(id: string): Promise<DistributionFacts | undefined>;
  /** The id of the one that was made with this mark. */
  find(mark: string): Promise<string | undefined>;
  /** @param mark says whose it is, for people and for `find`; at most 128 characters */
  make(setup: DistributionSetup, mark: string): Promise<DistributionFacts>;
  change(id: string, changes: Partial<DistributionSetup>): Promise<DistributionFacts>;
  listCertificates(): Promise<Reading<readonly CertificateFacts[]>>;
  close(): void;
}

/** Why a distribution could not be read or changed. */
export type ControlFailure =
  | EdgeFailure
  /** Somebody has changed it since it was read. */
  | { readonly kind: "changed"; readonly answer?: string | undefined }
  /** Another distribution has one of the names. */
  | { readonly kind: "name-taken"; readonly answer?: string | undefined };

/** What an adapter makes of any failure of the interface. */
export class ControlError extends Error {
  constructor(
    readonly action: ControlAction,
    readonly failure: ControlFailure,
    cause?: unknown,
  ) {
    super(failure.kind, { cause });
    this.name = "ControlError";
  }
}

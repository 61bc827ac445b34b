import type { RequestKind, ObjectStore } from "../ports/object-store.ts";
import type { BuildSource } from "../ports/build-source.ts";
import type { Clock } from "../ports/clock.ts";
import type { Edge } from "../ports/edge.ts";
import type { Reporter } from "../ports/reporter.ts";
import type { Target } from "../settings/destination.ts";

/** What a run works with: made by the wiring, used by every workflow. */
export interface Delivery {
  readonly target: Target;
  readonly source: BuildSource;
  readonly store: ObjectStore;
  readonly edges: readonly Edge[];
  readonly clock: Clock;
  readonly report: Reporter;
  readonly requests: Record<RequestKind, number>;
  /** Guards that are lifted. */
  readonly allowed: ReadonlySet<string>;
  /** Names this run among all. */
  readonly run: string;
  /** Who delivers what, for the waybill. */
  readonly author: {
    readonly by: string;
    readonly commit?: string;
    readonly note?: string;
    readonly sequence?: number;
  };
}

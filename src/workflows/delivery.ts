import type { RequestKind, ObjectStore } from "../ports/object-store.ts";
import type { BuildSource } from "../ports/build-source.ts";
import type { Pace } from "../core/delivery/pace.ts";
import type { WriteGate } from "../perform/gate.ts";
import type { Machine } from "../ports/machine.ts";
import type { PublicSite } from "../ports/public-site.ts";
import type { Clock } from "../ports/clock.ts";
import type { Edge } from "../ports/edge.ts";
import type { Reporter } from "../ports/reporter.ts";
import type { Target } from "../settings/destination.ts";

export interface Interruption {
  /** Throws `interrupted` once somebody has asked. */
  assertGoesOn(): void;
  /** The same outcome, or `interrupted` as soon as somebody asks: for waiting that can be given up at any time. */
  orStop<T>(work: Promise<T>): Promise<T>;
}

/** What a run works with: made by the wiring, used by every workflow. */
export interface Delivery {
  readonly target: Target;
  readonly source: BuildSource;
  readonly store: ObjectStore;
  readonly edges: readonly Edge[];
  readonly clock: Clock;
  readonly report: Reporter;
  readonly requests: Record<RequestKind, number>;
  readonly machine: Machine;
  /** The site as visitors reach it; undefined where no address is known. */
  readonly site: PublicSite | undefined;
  readonly pace: Pace;
  /** What each write of the store has to pass. */
  readonly gate: WriteGate;
  /** Whether somebody has asked the run to stop. */
  readonly interruption: Interruption;
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

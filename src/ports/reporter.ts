import type { EdgeWait } from "../core/model/edge.ts";
import type { StoreAction } from "../core/model/store-action.ts";
import type { Warning } from "../core/model/warning.ts";
import type { PhaseName, PlannedPhase } from "../core/model/plan.ts";
import type { Task } from "../core/model/task.ts";
import type { Problem } from "../core/model/problem.ts";

/** What a run tells while it goes on. The terminal, the NDJSON output and the tests listen to the same events; words come last. */
export type DeliveryEvent =
  | {
      readonly event: "gathered";
      /** What is to be delivered. */ readonly what: string;
      readonly files: number;
      readonly bytes: number;
      readonly objects: number;
    }
  | { readonly event: "task"; readonly task: Task; readonly state: "started" | "ended" }
  /** All that is about to be done, in its order; told before the first write. */
  | { readonly event: "planned"; readonly phases: readonly PlannedPhase[] }
  | {
      readonly event: "phase";
      readonly phase: PhaseName;
      readonly state: "started";
      readonly steps: number;
      readonly bytes: number;
    }
  | {
      readonly event: "phase";
      readonly phase: PhaseName;
      readonly state: "ended";
      readonly steps: number;
      readonly seconds: number;
    }
  | {
      readonly event: "step";
      readonly phase: PhaseName;
      readonly do: string;
      readonly key: string;
      readonly bytes: number;
    }
  | {
      readonly event: "retry";
      readonly action: StoreAction;
      readonly attempt: number;
      readonly waitMs: number;
      readonly why: string;
    }
  | { readonly event: "edge"; readonly edge: string; readonly wait: EdgeWait; readonly seconds: number }
  /** What speaks against a delivery, whole; `folder` is the build that paths and lines are of. */
  | { readonly event: "refused"; readonly folder: string; readonly problems: readonly Problem[] }
  | { readonly event: "warning"; readonly warning: Warning }
  /** The result of the command: that of a delivery, or whatever another command has. */
  | {
      readonly event: "done";
      readonly kind: "delivery" | "verification" | "invalidation" | "prune";
      readonly result: object;
    };

export type Reporter = (event: DeliveryEvent) => void;

import type { PhaseName, PlannedPhase } from "../core/model/plan.ts";
import type { DeliveryEvent } from "../ports/reporter.ts";
import { toProblemResult } from "../results/problem.ts";
import { showAction } from "../words/actions.ts";
import { showTask } from "../words/phases.ts";
import { showEdgeWait } from "../words/edges.ts";
import { showWarning } from "../words/warnings.ts";
import type { DeliveryResult, ProblemResult, VerifyResult } from "./schema-types.ts";

/**
 * What a run tells while it goes on: to `onEvent`, and line by line as `--format ndjson` (docs/results.md). Others may be
 * added in a minor version: pass over those that you don't know.
 */
export type CourierEvent =
  /** What is to be delivered is known: its files, their bytes, and the objects that they and their aliases become. */
  | {
      readonly event: "gathered";
      readonly what: string;
      readonly files: number;
      readonly bytes: number;
      readonly objects: number;
    }
  /** Something that may take a while begins or has ended: reading, or asking the site as visitors do. */
  | { readonly event: "task"; readonly task: string; readonly state: "started" | "ended" }
  /** All phases that are about to be gone through, in their order, with their steps and the bytes to send. */
  | { readonly event: "planned"; readonly phases: readonly PlannedPhase[] }
  /** A phase of the order of effects begins, with so many steps. */
  | {
      readonly event: "phase";
      readonly phase: PhaseName;
      readonly state: "started";
      readonly steps: number;
      readonly bytes: number;
    }
  /** It has ended. */
  | {
      readonly event: "phase";
      readonly phase: PhaseName;
      readonly state: "ended";
      readonly steps: number;
      readonly seconds: number;
    }
  /** One step is done: `do` is what (`send`, `copy`, `remove`, …), `key` is the object's. */
  | {
      readonly event: "step";
      readonly phase: PhaseName;
      readonly do: string;
      readonly key: string;
      readonly bytes: number;
    }
  /** The store failed for a moment, and is asked again after `waitMs`. */
  | {
      readonly event: "retry";
      readonly action: string;
      readonly attempt: number;
      readonly waitMs: number;
      readonly why: string;
    }
  /** An edge is waited for, `seconds` so far. */
  | { readonly event: "edge"; readonly edge: string; readonly seconds: number; readonly why: string }
  /** Guards speak against the delivery: the error `refused` follows. Paths and lines are those of the build `folder`. */
  | { readonly event: "refused"; readonly folder: string; readonly problems: readonly ProblemResult[] }
  /** Something is not as it should be, and the run goes on. */
  | { readonly event: "warning"; readonly code: string; readonly message: string }
  /** All is done. */
  | { readonly event: "done"; readonly result: DeliveryResult | VerifyResult };

/** An event with its words. */
export function toCourierEvent(event: DeliveryEvent): CourierEvent {
  switch (event.event) {
    case "warning":
      return { event: "warning", code: event.warning.code, message: showWarning(event.warning) };
    case "task":
      return { ...event, task: showTask(event.task) };
    case "retry":
      return { ...event, action: showAction(event.action) };
    case "edge": {
      const { wait, ...rest } = event;
      return { ...rest, why: showEdgeWait(wait) };
    }
    case "refused":
      return { ...event, problems: event.problems.map(toProblemResult) };
    case "done":
      return { event: "done", result: event.result as DeliveryResult | VerifyResult };
    default:
      return event;
  }
}

import type { PhaseName } from "../core/model/plan.ts";
import type { DeliveryResult } from "../core/results.ts";

/** What a run tells while it goes on. The terminal, the NDJSON output and the tests listen to the same events. */
export type DeliveryEvent =
  | { readonly event: "gathered"; readonly files: number; readonly bytes: number; readonly objects: number }
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
      readonly action: string;
      readonly attempt: number;
      readonly waitMs: number;
      readonly why: string;
    }
  | { readonly event: "warning"; readonly code: string; readonly message: string }
  | { readonly event: "done"; readonly result: DeliveryResult };

export type Reporter = (event: DeliveryEvent) => void;

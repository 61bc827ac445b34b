import type { DeliveryResult, Survey, VerifyResult } from "./schema-types.ts";
import type {
  CompareOptions,
  DeliverOptions,
  RedeliverOptions,
  SurveyOptions,
  VerifyOptions,
} from "./step-options.ts";

export type { Guard } from "../core/delivery/guards.ts";
export type { FailureCode } from "../core/model/failure.ts";
export { CourierError } from "./errors.ts";
export type { CourierEvent } from "./events.ts";
export type { DeliveryResult, ProblemResult, Settings, Survey, VerifyResult } from "./schema-types.ts";
export type * from "./step-options.ts";

/** What is in a build: roles, weights, problems. Asks no destination. Fails with a `CourierError`. */
export async function survey(options: SurveyOptions = {}): Promise<Survey> {
  const { callSurvey } = await import("./calls.ts");
  return callSurvey(options);
}

/** What a delivery would write, remove and invalidate; writes nothing. Fails with a `CourierError`. */
export async function compare(options: CompareOptions = {}): Promise<DeliveryResult> {
  const { callCompare } = await import("./calls.ts");
  return callCompare(options);
}

/**
 * Makes a destination match the build: sends what changed, in a safe order. Fails with a `CourierError`; `invalidation.owed` of the
 * result lists what edges have not confirmed yet, which the next run asks for again.
 */
export async function deliver(options: DeliverOptions = {}): Promise<DeliveryResult> {
  const { callDeliver } = await import("./calls.ts");
  return callDeliver(options);
}

/** Asks for what was delivered as visitors do. `findings` of the result lists what is not so, and why. Fails with a `CourierError`. */
export async function verify(options: VerifyOptions = {}): Promise<VerifyResult> {
  const { callVerify } = await import("./calls.ts");
  return callVerify(options);
}

/** Puts an earlier release back, or takes over that of a preview or of another destination. Fails with a `CourierError`. */
export async function redeliver(options: RedeliverOptions): Promise<DeliveryResult> {
  const { callRedeliver } = await import("./calls.ts");
  return callRedeliver(options);
}

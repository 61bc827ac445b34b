import { OperatorError } from "../core/model/failure.ts";
import { ControlError, type ControlFailure } from "../ports/distribution.ts";

/** What an answer means, where it does not say so by itself. */
const TOLD: Partial<Record<ControlFailure["kind"], (answer: string) => string>> = {
  "credentials-refused": (answer) => `the credentials are refused (${answer})`,
  "name-taken": (answer) => `another distribution has one of the names: take it away there first (${answer})`,
};

/**
 * What the interface of distributions answers, as people understand it. Throws `distribution-…`, `no-credentials`.
 * @param id of the distribution
 */
export async function explainControl<T>(id: string, task: () => Promise<T>): Promise<T> {
  try {
    return await task();
  } catch (error) {
    if (!(error instanceof ControlError)) throw error;
    const { action, failure } = error;
    const { kind, answer = "" } = failure;
    if (kind === "changed") throw new OperatorError("distribution-changed", { id }, {}, error);
    if (kind === "denied") throw new OperatorError("distribution-denied", { action }, { answer }, error);
    if (kind === "no-credentials")
      throw new OperatorError("no-credentials", { cause: answer, control: action }, {}, error);
    const told = (TOLD[kind] ?? ((said: string) => said))(answer);
    throw new OperatorError("distribution-failed", { action, answer: told || kind }, {}, error);
  }
}

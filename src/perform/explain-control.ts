import { OperatorError } from "../core/model/failure.ts";
import { ControlError } from "../ports/distribution.ts";

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
    const told = kind === "credentials-refused" ? `the credentials are refused (${answer})` : answer;
    throw new OperatorError("distribution-failed", { action, answer: told || kind }, {}, error);
  }
}

import { OperatorError, type FailureCode } from "../core/model/failure.ts";
import { redactAll } from "../wiring/secrets.ts";
import { wordsOfFailure } from "../words/failures.ts";

const OPEN: ReadonlySet<FailureCode> = new Set(["interrupted", "bug"]);

/** Why a step could not be done, in words and as data. */
export class CourierError extends Error {
  /** Stable; docs/errors.md lists them all. */
  readonly code: FailureCode;
  /** What to do next. */
  readonly hint: string;
  /** Names and numbers of the case: what `error.details` is in the JSON of the command line. */
  readonly details: Readonly<Record<string, unknown>>;

  /** @internal */
  constructor(error: OperatorError, redact: (text: string) => string) {
    const { message, hint, data } = wordsOfFailure(error);
    // An error of below may say what nobody is to see. The reason of the script's own signal may not, and a fault of ours needs it.
    super(redact(message), OPEN.has(error.code) ? { cause: error.cause } : {});
    this.name = "CourierError";
    this.code = error.code;
    this.hint = redact(hint);
    this.details = redactAll({ ...data, ...error.details }, redact);
  }
}

/** What went wrong as a failure with a code: a fault of ours is `bug`. */
export function toOperatorError(thrown: unknown): OperatorError {
  if (thrown instanceof OperatorError) return thrown;
  const { syscall, path: file, code: cause } = thrown as NodeJS.ErrnoException;
  // What the system says of a file that nobody expected to fail.
  if (syscall !== undefined && file !== undefined && cause !== undefined)
    return new OperatorError("file-failed", { file, cause }, {}, thrown);
  return new OperatorError(
    "bug",
    { cause: thrown instanceof Error ? thrown.message : String(thrown) },
    {},
    thrown,
  );
}

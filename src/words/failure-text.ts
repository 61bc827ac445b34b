import type { ExitCode } from "./exits.ts";

/** What is said of a failure, what to do next, and the exit code. Names in braces are filled in from the failure's data. */
export interface FailureText {
  readonly exit: ExitCode;
  readonly message: string;
  readonly hint: string;
}

/** A hint. */
export const SAFE_TO_REPEAT = "make the same call again";

import { OperatorError } from "../../core/model/failure.ts";
import type { CheckAnswer } from "../../settings/answers.ts";
import { isSet, text, type Arguments } from "../frame/command.ts";
import { clean, type Terminal } from "../frame/terminal.ts";

interface Question {
  /** What an empty answer means; absent: there has to be one. */
  readonly fallback?: string | undefined;
  readonly check: CheckAnswer;
}

export type Ask = (option: string, question: string, how: Question) => Promise<string>;

export interface Questions {
  readonly ask: Ask;
  /** Does something that asks; where it is interrupted, says how to go on with the answers that there are. */
  keep<T>(task: () => Promise<T>): Promise<T>;
}

/** An answer comes from the call, or from a person, or is what was found; a person is asked again after one that won't do. */
export function createQuestions(
  args: Arguments,
  terminal: Terminal,
  askText: (question: string, offered?: string) => Promise<string>,
): Questions {
  const answers = new Map<string, string>();
  const ask: Ask = async (option, question, { fallback, check }) => {
    const given = text(args, option);
    const mistake = given === undefined ? undefined : check(given);
    if (mistake !== undefined) throw toWrong(`--${option} ${given}: ${mistake}`);
    if (given !== undefined) return given;
    if (!terminal.canAsk || isSet(args, "yes")) {
      if (fallback !== undefined) return fallback;
      throw toWrong(`--${option} is missing, and there is no terminal to ask at: ${question}`);
    }
    for (;;) {
      const answer = await askText(question, fallback);
      const wrong = check(answer);
      if (wrong === undefined) {
        answers.set(option, answer);
        return answer;
      }
      terminal.say(`  ${terminal.styleSaid("warn", clean(answer))}: ${wrong}\n`);
    }
  };
  const keep = async <T>(task: () => Promise<T>): Promise<T> => {
    try {
      return await task();
    } catch (error) {
      if (error instanceof OperatorError && error.code === "interrupted" && answers.size > 0)
        terminal.say(`\nNothing was written. To go on with these answers:\n  ${toCall(answers)}\n`);
      throw error;
    }
  };
  return { ask, keep };
}

/** The call that has these answers already, for a shell. */
const toCall = (answers: ReadonlyMap<string, string>): string =>
  ["rcourier setup", ...[...answers].map(([option, answer]) => `--${option} ${quote(clean(answer))}`)].join(
    " ",
  );

const quote = (said: string): string =>
  /^[\w./:@-]+$/.test(said) ? said : `'${said.replaceAll("'", "'\\''")}'`;

/** `usage`, of this command. */
export const toWrong = (reason: string): OperatorError =>
  new OperatorError("usage", { reason, command: "setup" });

import { createInterface } from "node:readline/promises";
import { OperatorError } from "../../core/model/failure.ts";
import { isSet, type Arguments } from "./command.ts";
import type { Terminal } from "./terminal.ts";

/** Asks a person, unless the call says yes already. Throws `answer-needed`, with this reason, where nobody can be asked. */
export async function confirm(
  args: Arguments,
  terminal: Terminal,
  reason: string,
  question: string,
): Promise<void> {
  if (isSet(args, "yes")) return;
  if (!terminal.canAsk) throw new OperatorError("answer-needed", { reason });
  await askYes(question);
}

/** Asks a person at the terminal. Throws `answered-no`, and `interrupted` on Ctrl-C. */
export async function askYes(question: string): Promise<void> {
  const answer = await askLine(`${question} (yes or no) `, () => true);
  if (!/^y(es)?$/i.test(answer)) throw new OperatorError("answered-no");
}

/** Asks for a text; an empty answer takes what is offered. Throws `interrupted` on Ctrl-C. */
export async function askText(question: string, offered?: string): Promise<string> {
  const shown = offered === undefined || offered === "" ? "" : ` [${offered}]`;
  const text = await askLine(`${question}${shown} `, (one) => one !== "" || offered !== undefined);
  return text === "" ? (offered ?? "") : text;
}

/** Asks until an answer is one, without what stands around it. */
async function askLine(question: string, isAnswer: (text: string) => boolean): Promise<string> {
  const prompt = createInterface({ input: process.stdin, output: process.stderr });
  // Back in the foreground after Ctrl-Z: the reading stands still since, and nothing else would keep the program waiting.
  prompt.on("SIGCONT", () => {
    prompt.resume();
  });
  try {
    for (;;) {
      const answer = await prompt.question(question).catch((error: unknown) => {
        // Ctrl-C at the question.
        throw (error as Error).name === "AbortError" ? new OperatorError("interrupted") : error;
      });
      if (isAnswer(answer.trim())) return answer.trim();
    }
  } finally {
    prompt.close();
  }
}

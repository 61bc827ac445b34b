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
  const prompt = createInterface({ input: process.stdin, output: process.stderr });
  try {
    const answer = await prompt.question(`${question} (yes or no) `).catch((error: unknown) => {
      // Ctrl-C at the question.
      throw (error as Error).name === "AbortError" ? new OperatorError("interrupted") : error;
    });
    if (!/^y(es)?$/i.test(answer.trim())) throw new OperatorError("answered-no");
  } finally {
    prompt.close();
  }
}

/** Asks for a text; an empty answer takes what is offered. Throws `interrupted` on Ctrl-C. */
export async function askText(question: string, offered?: string): Promise<string> {
  const prompt = createInterface({ input: process.stdin, output: process.stderr });
  const shown = offered === undefined || offered === "" ? "" : ` [${offered}]`;
  try {
    for (;;) {
      const answer = await prompt.question(`${question}${shown} `).catch((error: unknown) => {
        throw (error as Error).name === "AbortError" ? new OperatorError("interrupted") : error;
      });
      const text = answer.trim();
      if (text !== "" || offered !== undefined) return text === "" ? (offered ?? "") : text;
    }
  } finally {
    prompt.close();
  }
}

import type { ExitCode } from "../words/exits.ts";
import type { Arguments, Command } from "./frame/command.ts";
import { readEnvironmentOf } from "./frame/environment.ts";
import { sayWhereSettingsAre } from "./frame/settings-file.ts";
import { checkupCommand } from "./checkup/command.ts";
import { toCompletionCommand } from "./completion/command.ts";
import { compareCommand } from "./compare/command.ts";
import { demoCommand } from "./demo/command.ts";
import { explainCommand } from "./explain/command.ts";
import { serveCommand } from "./serve/command.ts";
import { surveyCommand } from "./survey/command.ts";
import { deliverCommand } from "./deliver/command.ts";
import { invalidateCommand } from "./invalidate/command.ts";
import { previewsCommand } from "./previews/command.ts";
import { pruneCommand } from "./prune/command.ts";
import { releasesCommand } from "./releases/command.ts";
import { redeliverCommand } from "./redeliver/command.ts";
import { verifyCommand } from "./verify/command.ts";
import { policyCommand } from "./policy/command.ts";
import { provisionCommand } from "./provision/command.ts";
import { setupCommand } from "./setup/command.ts";
import { trafficCommand } from "./traffic/command.ts";
import { sandboxCommand } from "./sandbox/command.ts";
import { listOptions, parseCall } from "./frame/parse.ts";
import { prepareOutput } from "./frame/output.ts";
import { endNow, listenForSignals } from "./frame/signals.ts";
import { watchMemory } from "./frame/memory-watch.ts";
import { showFailure, showLost } from "./frame/failure.ts";
import { toManPage } from "./frame/man-page.ts";
import { showCommandHelp, showHelp, showWords } from "./frame/help.ts";
import { openTerminal } from "./frame/terminal.ts";

export const COMMANDS: readonly Command[] = [
  setupCommand,
  provisionCommand,
  policyCommand,
  checkupCommand,
  surveyCommand,
  explainCommand,
  serveCommand,
  compareCommand,
  deliverCommand,
  verifyCommand,
  invalidateCommand,
  pruneCommand,
  releasesCommand,
  redeliverCommand,
  previewsCommand,
  trafficCommand,
  sandboxCommand,
  demoCommand,
  toCompletionCommand(() => COMMANDS),
];

/** Runs one call of the tool. @returns the exit code of docs/errors.md */
export async function run(argv: readonly string[], version: string): Promise<ExitCode> {
  const terminal = openTerminal(!argv.includes("--no-color"));
  // Whoever asks for JSON is told in JSON, too, that the rest of the call is wrong.
  let args: Arguments = { format: findFormat(argv, terminal.environment) };
  // Where nobody else listens there is nothing to be ended well, only to be cleared away.
  const endListening = listenForSignals(endNow);
  const endWatch = watchMemory((error) => process.exit(showFailure(error, args, terminal)));
  try {
    const known = [...listOptions(COMMANDS).keys()];
    const readEnvironment = (command: Command): Arguments => readEnvironmentOf(command, known, terminal);
    const call = await parseCall(argv, { commands: COMMANDS, readEnvironment });
    if (call.ask === "version") {
      terminal.print(`${version}\n`);
      return 0;
    }
    if (call.ask === "man") {
      terminal.print(toManPage(COMMANDS, version));
      return 0;
    }
    if (call.ask === "words") {
      terminal.print(showWords(terminal));
      return 0;
    }
    if (call.ask === "help") {
      const { command } = call;
      terminal.print(command ? showCommandHelp(command, terminal) : showHelp(COMMANDS, version, terminal));
      return 0;
    }
    ({ args } = call);
    prepareOutput(args, terminal);
    sayWhereSettingsAre(call.command, args, terminal);
    const exit = await call.command.run(args, terminal);
    return exit === 0 ? await showLost(terminal) : exit;
  } catch (error) {
    return showFailure(error, args, terminal);
  } finally {
    endWatch();
    endListening();
  }
}

/** The form that a call asks for, before all of it is read. */
function findFormat(argv: readonly string[], { COURIER_FORMAT }: NodeJS.ProcessEnv): string | undefined {
  const at = argv.findIndex((word) => word === "--format" || word.startsWith("--format="));
  const word = argv[at];
  if (word === undefined) return COURIER_FORMAT;
  return word === "--format" ? argv[at + 1] : word.slice("--format=".length);
}

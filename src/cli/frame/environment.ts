import { OperatorError } from "../../core/model/failure.ts";
import { readEnvironmentOptions } from "../../settings/environment.ts";
import { COMMON, type Arguments, type Command, type Option } from "./command.ts";
import { clean, type Terminal } from "./terminal.ts";

/**
 * Options that the environment sets. A variable that looks like one and is none is named; it stops a command that writes, for
 * a misspelt `COURIER_DRYRUN` must not deliver. Throws `usage`.
 * @param known the options of all commands
 */
export function readEnvironmentOf(command: Command, known: readonly string[], terminal: Terminal): Arguments {
  const options: Readonly<Record<string, Option>> = { ...command.options, ...COMMON };
  const kinds = Object.fromEntries(Object.entries(options).map(([name, { kind }]) => [name, kind]));
  const { values, warnings } = readEnvironmentOptions(terminal.environment, kinds, known);
  const [first] = warnings;
  if (first !== undefined && "dry-run" in command.options)
    throw new OperatorError("usage", { reason: `nothing was done: ${first}`, command: command.name });
  for (const warning of warnings) terminal.say(`warning: ${clean(warning)}\n`);
  return values;
}

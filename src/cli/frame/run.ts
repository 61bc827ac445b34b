import yargs from "yargs";
import { OperatorError } from "../../core/model/failures.ts";
import { findNearest } from "../../core/model/problems.ts";
import { readEnvironmentOptions } from "../../settings/environment.ts";
import { COMMON, type Arguments, type Command, type Option } from "./command.ts";
import { checkupCommand } from "../checkup/command.ts";
import { compareCommand } from "../compare/command.ts";
import { demoCommand } from "../demo/command.ts";
import { explainCommand } from "../explain/command.ts";
import { surveyCommand } from "../survey/command.ts";
import { deliverCommand } from "../deliver/command.ts";
import { invalidateCommand } from "../invalidate/command.ts";
import { pruneCommand } from "../prune/command.ts";
import { releasesCommand } from "../releases/command.ts";
import { redeliverCommand } from "../redeliver/command.ts";
import { verifyCommand } from "../verify/command.ts";
import { policyCommand } from "../policy/command.ts";
import { provisionCommand } from "../provision/command.ts";
import { setupCommand } from "../setup/command.ts";
import { sandboxCommand } from "../sandbox/command.ts";
import { showFailure } from "./failure.ts";
import { showCommandHelp, showHelp } from "./help.ts";
import { openTerminal, type Terminal } from "./terminal.ts";

export const COMMANDS: readonly Command[] = [
  setupCommand,
  provisionCommand,
  policyCommand,
  checkupCommand,
  surveyCommand,
  explainCommand,
  compareCommand,
  deliverCommand,
  verifyCommand,
  invalidateCommand,
  pruneCommand,
  releasesCommand,
  redeliverCommand,
  sandboxCommand,
  demoCommand,
];

/** Runs one call of the tool. @returns the exit code of docs/errors.md */
export async function run(argv: readonly string[], version: string): Promise<number> {
  const terminal = openTerminal(!argv.includes("--no-color"));
  let args: Arguments = {};
  try {
    const words = argv.filter((argument) => !argument.startsWith("-"));
    const named = words.find((word) => COMMANDS.some((candidate) => candidate.name === word));
    const command = COMMANDS.find((candidate) => candidate.name === named);
    const name = command?.name ?? words[0];
    if (argv.includes("--help") || argv.length === 0 || name === "help") {
      terminal.print(command ? showCommandHelp(command, terminal) : showHelp(COMMANDS, version, terminal));
      return 0;
    }
    if (!command) throw unknownCommand(name ?? argv[0] ?? "");
    args = await readArguments(command, argv, terminal);
    return await command.run(args, terminal);
  } catch (error) {
    return showFailure(error, args, terminal);
  }
}

function unknownCommand(name: string): OperatorError {
  const nearest = findNearest(
    name,
    COMMANDS.map((command) => command.name),
  );
  const mend = nearest === undefined ? "" : `; did you mean ${nearest}?`;
  return new OperatorError("usage", { reason: `there is no command ${name}${mend}`, command: "" });
}

/** Arguments over environment over defaults, checked. Throws `usage`. */
async function readArguments(
  command: Command,
  argv: readonly string[],
  terminal: Terminal,
): Promise<Arguments> {
  const options: Readonly<Record<string, Option>> = { ...command.options, ...COMMON };
  const kinds = Object.fromEntries(Object.entries(options).map(([name, { kind }]) => [name, kind]));
  const known = [
    ...new Set(COMMANDS.flatMap((candidate) => Object.keys({ ...candidate.options, ...COMMON }))),
  ];
  const environment = readEnvironmentOptions(terminal.environment, kinds, known);
  for (const warning of environment.warnings) terminal.say(`warning: ${warning}\n`);
  const given = await parse(command, options, argv);
  const defaults = Object.fromEntries(
    Object.entries(options).flatMap(([name, option]) =>
      option.default === undefined ? [] : [[name, option.default]],
    ),
  );
  const args: Arguments = { ...defaults, ...environment.values, ...given };
  for (const [name, { choices }] of Object.entries(options)) {
    const value = args[name];
    if (choices && typeof value === "string" && !choices.includes(value)) {
      throw new OperatorError("usage", {
        reason: `--${name} ${value}: allowed are ${choices.join(", ")}`,
        command: command.name,
      });
    }
  }
  return args;
}

async function parse(
  command: Command,
  options: Readonly<Record<string, Option>>,
  argv: readonly string[],
): Promise<Record<string, string | boolean | string[]>> {
  const usage = (reason: string): OperatorError =>
    new OperatorError("usage", { reason, command: command.name });
  const parser = yargs()
    .help(false)
    .version(false)
    .exitProcess(false)
    .parserConfiguration({
      "camel-case-expansion": false,
      "boolean-negation": false,
      "dot-notation": false,
      "parse-numbers": false,
      "duplicate-arguments-array": true,
    })
    .fail((message: string | null, error: Error | undefined) => {
      throw usage(message ?? error?.message ?? "the call can't be read");
    });
  for (const [name, { kind }] of Object.entries(options)) {
    parser.option(
      name,
      kind === "switch" ? { type: "boolean" } : { type: "string", requiresArg: true, array: false },
    );
  }
  const { _: positional, $0: _script, ...parsed } = await parser.parse([...argv]);
  const [, ...extra] = positional.map(String);
  const own = command.positional;
  if (extra.length > 0 && own === undefined)
    throw usage(`${command.name} takes no argument ${extra.join(" ")}`);
  for (const name of Object.keys(parsed)) {
    if (name in options) continue;
    const nearest = findNearest(name, Object.keys(options));
    throw usage(`there is no option --${name}${nearest === undefined ? "" : `; did you mean --${nearest}?`}`);
  }
  const checked = Object.entries(parsed).map(([name, value]) => [
    name,
    checkValue(name, value, options[name] as Option, usage),
  ]);
  return { ...Object.fromEntries(checked), ...(own === undefined ? {} : { [own]: extra }) } as Record<
    string,
    string | boolean | string[]
  >;
}

function checkValue(
  name: string,
  value: unknown,
  { kind }: Option,
  usage: (reason: string) => OperatorError,
): string | boolean | string[] {
  if (kind === "list") return [value].flat() as string[];
  if (Array.isArray(value)) throw usage(`--${name} is given more than once`);
  if (value === "") throw usage(`--${name} needs a value`);
  return value as string | boolean;
}

import yargs, { type Argv } from "yargs";
import { OperatorError } from "../../core/model/failure.ts";
import { findNearest } from "../../core/model/nearest.ts";
import { findMeant } from "./other-words.ts";
import { COMMON, type Arguments, type Command, type Option } from "./command.ts";

/** What a call asks for. */
export type Call =
  | { readonly ask: "help"; readonly command: Command | undefined }
  | { readonly ask: "words" }
  | { readonly ask: "man" }
  | { readonly ask: "version" }
  | { readonly ask: "run"; readonly command: Command; readonly args: Arguments };

export interface ParseTools {
  readonly commands: readonly Command[];
  /** Options that the environment sets: weaker than those of the call, stronger than defaults. */
  readonly readEnvironment: (command: Command) => Arguments;
}

/** What the parser says, as codes: sentences are made here, for it knows neither the command nor the nearest word. */
const CODES = {
  "Unknown argument: %s": { one: "unknown\t%s", other: "unknown\t%s" },
  "Unknown command: %s": { one: "unknown\t%s", other: "unknown\t%s" },
  "Not enough arguments following: %s": "no-value\t%s",
  "Invalid values:": "choices",
  "Argument: %s, Given: %s, Choices: %s": "\t%s\t%s\t%s",
};

/** Reads a call. The command is the first word that is no option and no option's value. Throws `usage`. */
export async function parseCall(argv: readonly string[], tools: ParseTools): Promise<Call> {
  const { commands } = tools;
  let named: Command | undefined;
  let call: Call | undefined;
  // What stands behind a lone `--` is an argument, whatever it looks like.
  const end = argv.indexOf("--");
  const own = end < 0 ? argv : argv.slice(0, end);
  const isHelp = argv.length === 0 || own.includes("--help") || own.includes("-h");
  if (!isHelp && VERSION.some((word) => own.includes(word))) return { ask: "version" };
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
    .updateStrings(CODES as unknown as Record<string, string>)
    .strict()
    .demandCommand(1)
    .option("help", { type: "boolean", alias: "h" })
    .fail((message: string | null, error: Error | undefined) => {
      throw error instanceof OperatorError ? error : toUsage(message ?? "", argv, named, commands);
    });
  // Known before the command is: which words are values, and which may be the command.
  for (const [name, option] of listOptions(commands)) declare(parser, name, option, false);
  parser.command(["help [TOPIC]"], false, {}, ({ TOPIC }) => {
    call = findTopic(TOPIC as string | undefined, commands);
  });
  for (const command of commands)
    parser.command(
      command.positional === undefined ? command.name : `${command.name} [${command.positional}..]`,
      false,
      (own) => {
        named = command;
        for (const [name, option] of Object.entries(optionsOf(command))) declare(own, name, option, true);
        if (command.positional !== undefined)
          own.positional(command.positional, { type: "string", array: true });
        // The environment's come before the defaults, and are checked like those of the call.
        if (!isHelp) own.config(tools.readEnvironment(command));
      },
      (parsed) => {
        call = { ask: "run", command, args: toArguments(parsed, command) };
      },
    );
  try {
    await parser.parseAsync([...argv]);
  } catch (error) {
    // Who asks for help may have the rest of the call wrong.
    if (!isHelp) throw error;
  }
  if (isHelp && call?.ask !== "help") return { ask: "help", command: named };
  if (!call) throw toUsage("", argv, named, commands);
  return call;
}

const VERSION = ["--version", "-v", "-V"];

/** What `help` is asked about. Throws `usage`. */
function findTopic(topic: string | undefined, commands: readonly Command[]): Call {
  if (topic === "words" || topic === "man") return { ask: topic };
  const command = commands.find(({ name }) => name === topic);
  if (topic !== undefined && !command) throw toNoCommand(topic, [topic], commands);
  return { ask: "help", command };
}

const optionsOf = (command: Command): Readonly<Record<string, Option>> => ({ ...command.options, ...COMMON });

/** Every option of every command, by name; one name is of one kind wherever it stands. */
export const listOptions = (commands: readonly Command[]): Map<string, Option> =>
  new Map(commands.flatMap((command) => Object.entries(optionsOf(command))));

function declare(parser: Argv, name: string, option: Option, isOwn: boolean): void {
  const { kind, choices, default: fallback } = option;
  parser.option(name, {
    // Those of other commands are forgotten as soon as the command is known.
    global: isOwn,
    // The parser makes a help of its own for every call. Nobody reads it: ours is in help.ts.
    hidden: true,
    ...(kind === "switch"
      ? { type: "boolean" as const }
      : { type: "string" as const, requiresArg: option.mayBeBare !== true, array: false }),
    ...(isOwn && choices && { choices: [...choices] }),
    ...(isOwn && fallback !== undefined && { default: fallback }),
  });
}

/** Throws `usage` where an option that takes one value has several, or none. */
function toArguments(parsed: Readonly<Record<string, unknown>>, command: Command): Arguments {
  const options = optionsOf(command);
  const given = Object.entries(parsed).flatMap(([name, value]) => {
    const option = options[name];
    return option && value !== undefined ? [[name, checkValue(name, value, option, command)]] : [];
  });
  const { positional } = command;
  // What stands behind a lone `--` is checked by nobody else.
  const [, ...rest] = (parsed._ ?? []) as string[];
  if (rest.length > 0 && positional === undefined) throw toSurplus(rest, command);
  const words =
    positional === undefined ? {} : { [positional]: [...((parsed[positional] ?? []) as string[]), ...rest] };
  return { ...(Object.fromEntries(given) as Arguments), ...words };
}

function checkValue(
  name: string,
  value: unknown,
  { kind, mayBeBare }: Option,
  { name: command }: Command,
): string | boolean | string[] {
  if (kind === "list") return [value].flat() as string[];
  if (Array.isArray(value)) throw usage(`--${name} is given more than once`, command);
  if (value === "" && mayBeBare !== true) throw usage(`--${name} needs a value`, command);
  return value as string | boolean;
}

const usage = (reason: string, command = ""): OperatorError =>
  new OperatorError("usage", { reason, command });

function toUsage(
  message: string,
  argv: readonly string[],
  command: Command | undefined,
  commands: readonly Command[],
): OperatorError {
  const [code = "", ...facts] = message.split("\t").map((part) => part.trim());
  if (!command) return toNoCommand(code === "unknown" ? facts[0] : argv[0], argv, commands);
  switch (code) {
    case "unknown":
      return toUnknown(facts[0] ?? "", argv, command);
    case "no-value":
      return usage(`--${facts[0] ?? ""} needs a value`, command.name);
    case "choices": {
      const [name = "", given = ""] = facts;
      const choices = optionsOf(command)[name]?.choices ?? [];
      return usage(`--${name} must be one of ${choices.join(", ")}, not ${toPlain(given)}`, command.name);
    }
    default:
      return usage(message === "" ? "the call can't be read" : message, command.name);
  }
}

/** The parser shows values in quotes. */
const toPlain = (given: string): string => given.replace(/^"|"$/g, "");

/** Words and options that the command does not know, in the order in which the parser names them. */
function toUnknown(names: string, argv: readonly string[], command: Command): OperatorError {
  const all = names.split(", ");
  const option = all.find((name) => argv.some((word) => isOption(word, name)));
  return option === undefined
    ? toSurplus(all, command)
    : toUnknownOption(option, Object.keys(optionsOf(command)), command.name);
}

const isOption = (word: string, name: string): boolean =>
  word === `--${name}` || word.startsWith(`--${name}=`) || (/^-[^-]/.test(word) && name.length === 1);

const toSurplus = (words: readonly string[], { name }: Command): OperatorError =>
  usage(`${name} takes no argument ${words.join(" ")}`, name);

function toUnknownOption(option: string, known: readonly string[], command: string): OperatorError {
  const nearest = findNearest(option, known);
  const mend = nearest === undefined ? "" : `; did you mean --${nearest}?`;
  return usage(`there is no option --${option}${mend}`, command);
}

/** An option that nobody knows may have taken the command for its value. */
function toNoCommand(name = "", argv: readonly string[], commands: readonly Command[]): OperatorError {
  const known = [...listOptions(commands).keys()];
  const [, option] = /^--([^=]+)/.exec(argv[0] ?? "") ?? [];
  if (option !== undefined && argv.length > 1 && !known.includes(option))
    return toUnknownOption(option, known, "");
  const meant = findMeant(name);
  if (meant !== undefined) return usage(`there is no command ${name}; ${meant}`);
  const nearest = findNearest(
    name,
    commands.map((command) => command.name),
  );
  const mend = nearest === undefined ? "" : `; did you mean ${nearest}?`;
  return usage(`there is no command ${name}${mend}`);
}

import { EXITS } from "../../words/exits.ts";
import { COMMON, GROUPS, type Command, type Option } from "./command.ts";
import { toAbout, toName } from "./help.ts";

/** `help man`: the manual page, in the macros of man(7), from the same data as the help. */
export function toManPage(commands: readonly Command[], version: string): string {
  const options = (all: Readonly<Record<string, Option>>): string[] =>
    Object.entries(all).flatMap(([name, option]) => [
      ".TP",
      `.B ${toRoff(toName(name, option))}`,
      toRoff(toAbout(option)),
    ]);
  const command = ({ name, about, positional, options: own, examples }: Command): string[] => [
    `.SS rcourier ${name}${positional === undefined ? "" : toRoff(` [${positional}...]`)}`,
    `${toRoff(about)}.`,
    ...options(own),
    ...examples.flatMap(([call, what]) => [".TP", `.B ${toRoff(call)}`, `Example: ${toRoff(what)}`]),
  ];
  return [
    `.TH RCOURIER 1 "" "Restless Courier ${toRoff(version)}" "Restless Courier"`,
    ".SH NAME",
    "rcourier \\- delivers a front-end build to object storage behind a CDN",
    ".SH SYNOPSIS",
    ".B rcourier",
    ".I COMMAND",
    "[options]",
    ".SH COMMANDS",
    ...GROUPS.flatMap((group) => commands.filter((one) => one.group === group).flatMap(command)),
    ".SH OPTIONS OF EVERY COMMAND",
    ...options(COMMON),
    ".SH ENVIRONMENT",
    "Any option can be set in the environment: COURIER_DRY_RUN=1 is the same as \\-\\-dry\\-run.",
    "Credentials come from the environment, a shared profile (store.profile), or a web identity.",
    ".SH FILES",
    ".TP",
    ".B courier.yaml",
    "The settings of a project; rcourier setup writes it.",
    ".SH EXIT STATUS",
    ...Object.entries(EXITS).flatMap(([exit, meaning]) => [".TP", `.B ${exit}`, toRoff(meaning)]),
    "",
  ].join("\n");
}

/** Text that roff takes for text: no line of it is a request, and no letter a macro's. */
const toRoff = (text: string): string =>
  text.replaceAll("\\", "\\e").replaceAll("-", "\\-").replaceAll("'", "\\(aq").replace(/^\./, "\\&.");

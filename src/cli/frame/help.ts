import { COMMON, GROUPS, type Command, type Option } from "./command.ts";
import type { Terminal } from "./terminal.ts";

/** The overview: commands in the order in which people work. */
export function showHelp(commands: readonly Command[], version: string, { style }: Terminal): string {
  const width = Math.max(...commands.map(({ name }) => name.length)) + 2;
  const groups = GROUPS.map((group) => ({
    group,
    members: commands.filter((command) => command.group === group),
  }))
    .filter(({ members }) => members.length > 0)
    .map(
      ({ group, members }) =>
        `${style("strong", group)}\n${members.map(({ name, about }) => `  ${name.padEnd(width)}${about}\n`).join("")}`,
    );
  return [
    `Restless Courier ${version}: delivers a front-end build to object storage behind a CDN\n`,
    `rcourier COMMAND [options]      rcourier COMMAND --help for one command\n`,
    ...groups,
    `Every option can be set by an environment variable: COURIER_DRY_RUN=1 says --dry-run.\n`,
  ].join("\n");
}

export function showCommandHelp(
  { name, about, options, positional, examples }: Command,
  { style }: Terminal,
): string {
  const rows = (group: Readonly<Record<string, Option>>): string =>
    Object.entries(group)
      .map(([option, facts]) => toRow(option, facts))
      .join("");
  const shown = examples.map(([call, meaning]) => `  ${call}\n      ${meaning}\n`).join("");
  return [
    `rcourier ${name}${positional === undefined ? "" : ` ${positional}…`}: ${about}\n`,
    `${style("strong", "options")}\n${rows(options)}${rows(COMMON)}`,
    ...(shown === "" ? [] : [`${style("strong", "for example")}\n${shown}`]),
  ].join("\n");
}

function toRow(name: string, { about, value, choices, default: fallback }: Option): string {
  const notes = [choices?.join(", "), fallback === undefined ? undefined : `default ${fallback}`].filter(
    (note) => note !== undefined,
  );
  return `  ${`--${name}${value === undefined ? "" : ` ${value}`}`.padEnd(26)}${about}${notes.length > 0 ? ` (${notes.join("; ")})` : ""}\n`;
}

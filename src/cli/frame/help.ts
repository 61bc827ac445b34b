import { GLOSSARY } from "../../words/glossary.ts";
import { COMMON, GROUPS, type Command, type Option } from "./command.ts";
import { toMargin, type Sheet } from "./sheet.ts";
import { wrap } from "./wrap.ts";

const MOST_COLUMNS = 80;
/** Where the text beside a name begins. */
const BESIDE = 14;
const BESIDE_OPTION = 29;

const fit = <S extends Pick<Sheet, "columns">>(sheet: S): S => ({
  ...sheet,
  columns: Math.min(sheet.columns, MOST_COLUMNS),
});

/** The overview: commands in the order in which people work. */
export function showHelp(commands: readonly Command[], version: string, given: Sheet): string {
  const sheet = fit(given);
  const groups = GROUPS.map((group) => {
    const members = commands.filter((command) => command.group === group);
    const rows = members.map(({ name, about }) => toBeside(sheet, name, about, BESIDE));
    return members.length === 0 ? "" : `\n${sheet.style("strong", group)}\n${rows.join("")}`;
  });
  const more = [
    ["rcourier COMMAND --help", "the options of one command, with examples"],
    ["rcourier help words", "what the words of this tool mean"],
    ["rcourier help man", "all of this as a manual page"],
    ["rcourier --version", "the version"],
  ].map(([call = "", what = ""]) => toBeside(sheet, call, what, BESIDE_OPTION));
  const environment = "You can set any option in the environment: COURIER_DRY_RUN=1 means --dry-run.";
  return [
    `Restless Courier ${version}\n`,
    lines(sheet, "Delivers a front-end build to object storage behind a CDN."),
    `\nrcourier COMMAND [options]\n`,
    ...groups,
    `\n${sheet.style("strong", "more")}\n${more.join("")}`,
    `\n${lines(sheet, environment)}`,
    ...[
      `\n${toMargin(sheet, { label: "next", words: "rcourier setup --sandbox   sets up a place to practise" })}`,
    ],
  ].join("");
}

/** One command: what it does, its options, examples. */
export function showCommandHelp(
  { name, about, options, positional, examples }: Command,
  given: Sheet,
): string {
  const sheet = fit(given);
  const rows = (group: Readonly<Record<string, Option>>): string =>
    Object.entries(group)
      .map(([option, facts]) => toBeside(sheet, toName(option, facts), toAbout(facts), BESIDE_OPTION))
      .join("");
  const shown = examples.map(
    ([call, meaning]) => `  ${call}\n${lines({ columns: sheet.columns - 6 }, meaning, "      ")}`,
  );
  return [
    `rcourier ${name}${positional === undefined ? "" : ` [${positional}…]`} [options]\n`,
    lines(sheet, about),
    `\n${sheet.style("strong", "options")}\n${rows(options)}`,
    `\n${sheet.style("strong", "options of every command")}\n${rows(COMMON)}`,
    ...(shown.length === 0 ? [] : [`\n${sheet.style("strong", "for example")}\n${shown.join("")}`]),
  ].join("");
}

/** `help words`. */
export function showWords(given: Sheet): string {
  const sheet = fit(given);
  return GLOSSARY.map(
    ([word, meaning]) =>
      `${sheet.style("strong", word)}\n${lines({ columns: sheet.columns - 2 }, meaning, "  ")}`,
  ).join("");
}

/** An option as it is typed. */
export const toName = (name: string, { value, mayBeBare }: Option): string =>
  `--${name}${value === undefined ? "" : mayBeBare ? ` [${value}]` : ` ${value}`}`;

/** What it does, which values it takes, and what it is if nobody says it. */
export function toAbout({ about, choices, default: fallback }: Option): string {
  const notes = [
    ...(choices ? [`one of ${choices.join(", ")}`] : []),
    ...(fallback === undefined ? [] : [`default ${fallback}`]),
  ];
  return notes.length === 0 ? about : `${about} (${notes.join("; ")})`;
}

/** A name, and beside it what it is; below it where there is no room. */
function toBeside(sheet: Sheet, name: string, words: string, wordsAt: number): string {
  if (name.length + 4 <= wordsAt && sheet.columns > wordsAt + 24)
    return toMargin({ ...sheet, style: (_, text) => text }, { label: name, words, at: 2, wordsAt });
  return `  ${name}\n${lines({ columns: sheet.columns - 6 }, words, "      ")}`;
}

const lines = ({ columns }: Pick<Sheet, "columns">, text: string, indent = ""): string =>
  wrap(text, columns)
    .map((line) => `${indent}${line}\n`)
    .join("");

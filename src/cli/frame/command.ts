import type { ExitCode } from "../../words/exits.ts";
import type { Terminal } from "./terminal.ts";

/** Groups of commands, in the order in which people work. */
export const GROUPS = ["prepare", "look", "deliver", "history", "practise"] as const;

export interface Option {
  readonly kind: "text" | "switch" | "list";
  readonly about: string;
  readonly choices?: readonly string[];
  readonly default?: string;
  /** Whether its name alone says something: then the value is empty. */
  readonly mayBeBare?: true;
  /** What stands for the value in help. */
  readonly value?: string;
  /** What its value is the name of, for completion. */
  readonly of?: "destination" | "release" | "preview";
}

export type Arguments = Readonly<Record<string, string | boolean | readonly string[] | undefined>>;

/** A command is data first; its function loads what it needs when it is called. */
export interface Command {
  readonly name: string;
  readonly group: (typeof GROUPS)[number];
  readonly about: string;
  readonly options: Readonly<Record<string, Option>>;
  /** What stands for the arguments that it takes besides options; their list is under this name. */
  readonly positional?: string;
  /** Some of those arguments that are always the same, for completion. */
  readonly words?: readonly string[];
  readonly examples: readonly (readonly [string, string])[];
  /** Whether it writes the settings file, in the folder where it is called. */
  readonly writesSettings?: true;
  /** @returns the exit code */
  readonly run: (args: Arguments, terminal: Terminal) => Promise<ExitCode>;
}

/** Options that mean the same everywhere, defined once. */
export const SHARED = {
  to: {
    kind: "text",
    value: "DESTINATION",
    of: "destination",
    about: "which destination in the settings to use",
  },
  preview: {
    kind: "text",
    value: "NAME",
    of: "preview",
    about: "a preview of that destination (in CI, its name may be left out: it is the branch)",
    mayBeBare: true,
  },
  build: { kind: "text", value: "FOLDER|ARCHIVE", about: "where the build is, if it is not at build.folder" },
  settings: { kind: "text", value: "FILE", about: "the settings file", default: "courier.yaml" },
  format: {
    kind: "text",
    value: "FORMAT",
    about: "the form of the result",
    choices: ["text", "json"],
    default: "text",
  },
  output: { kind: "text", value: "FILE", about: "write the result to a file" },
  report: { kind: "text", value: "FILE", about: "also draw it on a page (HTML, one file)" },
  summary: {
    kind: "text",
    value: "FILE",
    about: "append a summary in Markdown (in CI, the service's own file is the default)",
  },
  queue: {
    kind: "text",
    value: "DURATION",
    about: "wait up to this long for another run to end, such as 5m",
  },
  note: { kind: "text", value: "TEXT", about: "a note that is kept with the release" },
  "dry-run": { kind: "switch", about: "show what would happen, and write nothing" },
  yes: { kind: "switch", about: "answer every question with yes" },
  allow: { kind: "list", value: "CODE", about: "lift one guard, by the code that it printed (repeatable)" },
  all: { kind: "switch", about: "list everything, unchanged files too" },
} as const satisfies Record<string, Option>;

/** Options of every command. */
export const COMMON = {
  quiet: { kind: "switch", about: "print only the result, no progress" },
  verbose: { kind: "switch", about: "also print each step, and the store's own answers" },
  "no-color": { kind: "switch", about: "print without colours" },
} as const satisfies Record<string, Option>;

export const text = (args: Arguments, name: string): string | undefined => {
  const value = args[name];
  return typeof value === "string" ? value : undefined;
};

export const isSet = (args: Arguments, name: string): boolean => args[name] === true;

export const list = (args: Arguments, name: string): readonly string[] => {
  const value = args[name];
  return value === undefined || typeof value === "boolean" ? [] : [value].flat();
};

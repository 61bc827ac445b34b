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
  readonly examples: readonly (readonly [string, string])[];
  /** @returns the exit code */
  readonly run: (args: Arguments, terminal: Terminal) => Promise<ExitCode>;
}

/** Options that mean the same everywhere, defined once. */
export const SHARED = {
  to: { kind: "text", value: "DESTINATION", about: "the destination of the settings" },
  preview: {
    kind: "text",
    value: "NAME",
    about: "a preview of that destination; in CI without a name: the branch",
    mayBeBare: true,
  },
  build: { kind: "text", value: "FOLDER|ARCHIVE", about: "the build, where it is not build.folder" },
  settings: { kind: "text", value: "FILE", about: "the settings file", default: "courier.yaml" },
  format: {
    kind: "text",
    value: "FORMAT",
    about: "form of the result",
    choices: ["text", "json"],
    default: "text",
  },
  output: { kind: "text", value: "FILE", about: "write the result to a file" },
  report: { kind: "text", value: "FILE", about: "draw it on a page (HTML, one file)" },
  summary: {
    kind: "text",
    value: "FILE",
    about: "append a summary in Markdown (in CI to the file that the service names)",
  },
  queue: { kind: "text", value: "DURATION", about: "wait so long for another delivery to end" },
  note: { kind: "text", value: "TEXT", about: "a note for the release's record" },
  "dry-run": { kind: "switch", about: "stop before the first write" },
  yes: { kind: "switch", about: "answer yes where a person would be asked" },
  allow: { kind: "list", value: "CODE", about: "lift one guard (repeatable)" },
  all: { kind: "switch", about: "list everything, unchanged files too" },
} as const satisfies Record<string, Option>;

/** Options of every command. */
export const COMMON = {
  quiet: { kind: "switch", about: "no progress, only the result" },
  verbose: { kind: "switch", about: "more about what was asked and answered" },
  "no-color": { kind: "switch", about: "no colours" },
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

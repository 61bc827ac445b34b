import { SHARED, type Command } from "../frame/command.ts";

export const pruneCommand: Command = {
  name: "prune",
  group: "deliver",
  about: "removes files, old versions and records that no release needs",
  options: {
    to: SHARED.to,
    settings: SHARED.settings,
    "dry-run": SHARED["dry-run"],
    foreign: {
      kind: "switch",
      about: "also remove foreign objects (not delivered by this tool), after showing them",
    },
    forget: {
      kind: "list",
      value: "PATH",
      about: "remove this file for good, from every release and the vault (repeatable)",
    },
    yes: SHARED.yes,
    queue: SHARED.queue,
    format: SHARED.format,
    output: SHARED.output,
    all: { kind: "switch", about: "list everything" },
  },
  examples: [
    ["rcourier prune --dry-run", "what would be removed"],
    ["rcourier prune --forget downloads/crew-list.csv", "a file that should never have been public"],
  ],
  run: async (args, terminal) => {
    const { pruneDestination } = await import("./run.ts");
    return pruneDestination(args, terminal);
  },
};

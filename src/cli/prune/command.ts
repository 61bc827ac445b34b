import { SHARED, type Command } from "../frame/command.ts";

export const pruneCommand: Command = {
  name: "prune",
  group: "deliver",
  about: "removes what no retained release needs: stale files, vault contents, old records",
  options: {
    to: SHARED.to,
    settings: SHARED.settings,
    "dry-run": SHARED["dry-run"],
    foreign: { kind: "switch", about: "also what this tool did not put there, after showing it" },
    forget: { kind: "list", value: "PATH", about: "a content for good, wherever it stands (repeatable)" },
    yes: SHARED.yes,
    queue: SHARED.queue,
    format: SHARED.format,
    output: SHARED.output,
    all: { kind: "switch", about: "list everything" },
  },
  examples: [
    ["rcourier prune --dry-run", "what would go"],
    ["rcourier prune --forget downloads/crew-list.csv", "a file that should never have been public"],
  ],
  run: async (args, terminal) => {
    const { pruneDestination } = await import("./run.ts");
    return pruneDestination(args, terminal);
  },
};

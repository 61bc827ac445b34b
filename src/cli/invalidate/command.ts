import { SHARED, type Command } from "../frame/command.ts";

export const invalidateCommand: Command = {
  name: "invalidate",
  group: "deliver",
  about: "asks the edge by hand to forget addresses, files, a release's changes, or what it owes",
  positional: "PATTERN",
  options: {
    to: SHARED.to,
    settings: SHARED.settings,
    release: { kind: "text", value: "RELEASE", about: "what this release changed against the one before it" },
    owed: { kind: "switch", about: "what it has not confirmed yet" },
    gone: {
      kind: "list",
      value: "EDGE",
      about: "strikes what an edge owes that is gone for good, after asking (repeatable)",
    },
    everything: { kind: "switch", about: "all of it, after asking" },
    "dry-run": { ...SHARED["dry-run"], about: "show what would be asked for" },
    yes: SHARED.yes,
    queue: SHARED.queue,
    format: SHARED.format,
    output: SHARED.output,
  },
  examples: [
    ["rcourier invalidate /news/ '/timetables/*'", "an address, and everything below another"],
    ["rcourier invalidate 'fleet/**/*.webp'", "files of the current release, by a glob"],
    ["rcourier invalidate --release current", "what the last delivery changed"],
    ["rcourier invalidate --owed", "what an edge has not confirmed, without delivering"],
  ],
  run: async (args, terminal) => {
    const { invalidateByHand } = await import("./run.ts");
    return invalidateByHand(args, terminal);
  },
};

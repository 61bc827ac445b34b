import { SHARED, type Command } from "../frame/command.ts";

export const invalidateCommand: Command = {
  name: "invalidate",
  group: "deliver",
  about: "asks the edge to forget addresses, without making a delivery",
  positional: "PATTERN",
  options: {
    to: SHARED.to,
    settings: SHARED.settings,
    release: { kind: "text", value: "RELEASE", of: "release", about: "what this release has changed" },
    owed: { kind: "switch", about: "what an edge has not confirmed yet" },
    gone: {
      kind: "list",
      value: "EDGE",
      about: "strike off what an edge has not confirmed that is gone for good, after asking (repeatable)",
    },
    everything: { kind: "switch", about: "forget every address, after asking" },
    "dry-run": { ...SHARED["dry-run"], about: "show what would be asked for, and ask nothing" },
    yes: SHARED.yes,
    queue: SHARED.queue,
    format: SHARED.format,
    output: SHARED.output,
  },
  examples: [
    ["rcourier invalidate /news/ '/timetables/*'", "an address, and everything below another"],
    ["rcourier invalidate 'fleet/**/*.webp'", "files of the current release, by a glob"],
    ["rcourier invalidate --release current", "what the last delivery changed"],
    ["rcourier invalidate --owed", "what an edge has not confirmed yet, without a delivery"],
  ],
  run: async (args, terminal) => {
    const { invalidateByHand } = await import("./run.ts");
    return invalidateByHand(args, terminal);
  },
};

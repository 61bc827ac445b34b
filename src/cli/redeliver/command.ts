import { SHARED, type Command } from "../frame/command.ts";

export const redeliverCommand: Command = {
  name: "redeliver",
  group: "history",
  about: "puts an earlier release back: copies inside the store, no build needed",
  positional: "RELEASE",
  options: {
    to: SHARED.to,
    settings: SHARED.settings,
    "dry-run": SHARED["dry-run"],
    yes: SHARED.yes,
    queue: SHARED.queue,
    allow: SHARED.allow,
    note: SHARED.note,
    format: { ...SHARED.format, choices: ["text", "json", "ndjson"] },
    output: SHARED.output,
    summary: SHARED.summary,
    all: SHARED.all,
  },
  examples: [
    ["rcourier redeliver previous", "back to the release before the current one"],
    ["rcourier redeliver 5 --dry-run", "what going back to release 5 would do"],
  ],
  run: async (args, terminal) => {
    const { redeliverRelease } = await import("./run.ts");
    const { invalidation, dryRun } = await redeliverRelease(args, terminal);
    return !dryRun && invalidation.owed.length > 0 ? 5 : 0;
  },
};

import { SHARED, type Command } from "../frame/command.ts";

export const redeliverCommand: Command = {
  name: "redeliver",
  group: "history",
  about: "puts an earlier release back, or a preview live; needs no build",
  positional: "RELEASE",
  options: {
    to: SHARED.to,
    settings: SHARED.settings,
    "dry-run": SHARED["dry-run"],
    yes: SHARED.yes,
    queue: SHARED.queue,
    allow: SHARED.allow,
    note: SHARED.note,
    "through-here": {
      kind: "switch",
      about: "from another store: let files go through this machine, each checked by its hash",
    },
    format: { ...SHARED.format, choices: ["text", "json", "ndjson"] },
    output: SHARED.output,
    summary: SHARED.summary,
    all: SHARED.all,
  },
  examples: [
    ["rcourier redeliver previous", "puts back the release before the current one"],
    ["rcourier redeliver 5 --dry-run", "what going back to release 5 would do"],
    ["rcourier redeliver preview/spring-fares@2 --to production", "puts live just what was approved"],
    ["rcourier redeliver staging:current --to production", "from one destination to another"],
  ],
  run: async (args, terminal) => {
    const { runRedeliver } = await import("./run.ts");
    const { invalidation, dryRun } = await runRedeliver(args, terminal);
    return !dryRun && invalidation.owed.length > 0 ? 5 : 0;
  },
};

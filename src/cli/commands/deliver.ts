import { SHARED, type Command } from "../command.ts";

export const deliverCommand: Command = {
  name: "deliver",
  group: "deliver",
  about: "makes a destination match the build: sends what changed, in a safe order",
  options: {
    to: SHARED.to,
    build: SHARED.build,
    settings: SHARED.settings,
    "dry-run": SHARED["dry-run"],
    yes: SHARED.yes,
    allow: SHARED.allow,
    note: { kind: "text", value: "TEXT", about: "a note for the release's record" },
    sequence: {
      kind: "text",
      value: "NUMBER",
      about: "this build's number: refused when a higher one is live",
    },
    commit: { kind: "text", value: "ID", about: "the commit of the build, for the release's record" },
    format: { ...SHARED.format, choices: ["text", "json", "ndjson"] },
    output: SHARED.output,
    all: SHARED.all,
  },
  examples: [
    ["rcourier deliver", "the build to the only (or default) destination"],
    ["rcourier deliver --to staging --build dist", "another destination, another folder"],
    ["rcourier deliver --to production --yes --format json", "from CI"],
  ],
  run: async (args, terminal) => {
    const { deliverBuild } = await import("../run-delivery.ts");
    const { invalidation, dryRun } = await deliverBuild(args, terminal);
    return !dryRun && invalidation.owed.length > 0 ? 5 : 0;
  },
};

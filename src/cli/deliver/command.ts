import { SHARED, type Command } from "../frame/command.ts";

export const deliverCommand: Command = {
  name: "deliver",
  group: "deliver",
  about: "makes a destination match the build; sends only what has changed",
  options: {
    to: SHARED.to,
    preview: SHARED.preview,
    build: SHARED.build,
    settings: SHARED.settings,
    "dry-run": SHARED["dry-run"],
    verify: { kind: "switch", about: "afterwards, request the site as visitors do, and check it" },
    yes: SHARED.yes,
    queue: SHARED.queue,
    allow: SHARED.allow,
    note: SHARED.note,
    sequence: {
      kind: "text",
      value: "NUMBER",
      about: "this build's number; refuse if a build with a higher number is live",
    },
    commit: { kind: "text", value: "ID", about: "the commit of the build, for the release's record" },
    format: { ...SHARED.format, choices: ["text", "json", "ndjson"] },
    output: SHARED.output,
    report: SHARED.report,
    summary: SHARED.summary,
    all: SHARED.all,
  },
  examples: [
    ["rcourier deliver", "the build to the only (or default) destination"],
    ["rcourier deliver --to staging --build dist", "another destination, another folder"],
    ["rcourier deliver --to production --yes --format json", "from CI"],
    [
      "rcourier deliver --preview spring-fares",
      "to show it to somebody: it gets an address of its own, for a week",
    ],
  ],
  run: async (args, terminal) => {
    const { runDeliver } = await import("./run.ts");
    const { invalidation, dryRun, verification } = await runDeliver(args, terminal);
    const isWrong = invalidation.owed.length > 0 || (verification?.findings.length ?? 0) > 0;
    return !dryRun && isWrong ? 5 : 0;
  },
};

import { SHARED, type Command } from "../frame/command.ts";

export const checkupCommand: Command = {
  name: "checkup",
  group: "prepare",
  about: "tests each step from credentials to visitor; says how to mend it",
  options: {
    to: SHARED.to,
    settings: SHARED.settings,
    build: SHARED.build,
    "dry-run": { ...SHARED["dry-run"], about: "only read: write no test objects, invalidate nothing" },
    wait: {
      kind: "text",
      value: "DURATION",
      about: "test again until all pass, for up to this long (new DNS records, deployments)",
    },
    format: SHARED.format,
    output: SHARED.output,
  },
  examples: [
    ["rcourier checkup", "before the first delivery, and whenever the site does something unexpected"],
    ["rcourier checkup --wait 30m", "after provision, until DNS and deployments have spread"],
    ["rcourier checkup --to production --dry-run", "only the tests that write nothing"],
  ],
  run: async (args, terminal) => {
    const { checkUpDestination } = await import("./run.ts");
    return checkUpDestination(args, terminal);
  },
};

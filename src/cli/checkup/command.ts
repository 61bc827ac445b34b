import { SHARED, type Command } from "../frame/command.ts";

export const checkupCommand: Command = {
  name: "checkup",
  group: "prepare",
  about:
    "tries the whole chain, from credentials to what a visitor gets, and says what is broken, why, and the mend",
  options: {
    to: SHARED.to,
    settings: SHARED.settings,
    build: SHARED.build,
    "dry-run": { ...SHARED["dry-run"], about: "only ask: no probe is written, nothing is invalidated" },
    wait: {
      kind: "text",
      value: "DURATION",
      about: "go round until every link holds (names that spread, deployments), for so long at most",
    },
    format: SHARED.format,
    output: SHARED.output,
  },
  examples: [
    ["rcourier checkup", "before the first delivery, and whenever something is odd"],
    ["rcourier checkup --wait 30m", "after provision, until names and deployments have spread"],
    ["rcourier checkup --to production --dry-run", "as far as asking alone goes"],
  ],
  run: async (args, terminal) => {
    const { checkUpDestination } = await import("./run.ts");
    return checkUpDestination(args, terminal);
  },
};

import { READERS } from "../../core/bucket/policies.ts";
import { SHARED, type Command } from "../frame/command.ts";

export const provisionCommand: Command = {
  name: "provision",
  group: "prepare",
  about:
    "makes bucket and distribution ready: creates them, says who may read, sets them up; shows each change first",
  options: {
    to: SHARED.to,
    settings: SHARED.settings,
    readers: {
      kind: "text",
      value: "WHO",
      about: "who may read the site from the store, where the settings do not say it",
      choices: READERS,
    },
    versioning: { kind: "switch", about: "keep versions of overwritten objects as well" },
    tag: { kind: "list", value: "NAME=VALUE", about: "tag the bucket (repeatable)" },
    "dry-run": { ...SHARED["dry-run"], about: "show what would be changed, and change nothing" },
    yes: SHARED.yes,
    format: SHARED.format,
    output: SHARED.output,
  },
  examples: [
    ["rcourier provision --dry-run", "what is missing, and what would be done about it"],
    ["rcourier provision --to staging --readers public --tag team=web", "asks, does it, and tries it"],
  ],
  run: async (args, terminal) => {
    const { provisionDestination } = await import("./run.ts");
    return provisionDestination(args, terminal);
  },
};

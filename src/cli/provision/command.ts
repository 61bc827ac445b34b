import { READERS } from "../../core/bucket/policies.ts";
import { PRINTABLE } from "../../results/printed-setup.ts";
import { SHARED, text, type Command } from "../frame/command.ts";

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
    print: {
      kind: "text",
      value: "WHAT",
      about: "print what a person sets up: a cache of your own, DNS records, or what any other edge must do",
      choices: PRINTABLE,
    },
    origin: { kind: "text", value: "URL", about: "with --print: where the cache reads from" },
    "purge-from": {
      kind: "list",
      value: "NETWORK",
      about: "with --print: who may have copies forgotten, such as 10.0.0.0/24 (repeatable)",
    },
    into: { kind: "text", value: "FOLDER", about: "with --print: write the files there as well" },
    "dry-run": { ...SHARED["dry-run"], about: "show what would be changed, and change nothing" },
    yes: SHARED.yes,
    format: SHARED.format,
    output: SHARED.output,
  },
  examples: [
    ["rcourier provision --dry-run", "what is missing, and what would be done about it"],
    [
      "rcourier provision --print nginx --into edge",
      "a complete set-up for a cache of your own; dns: its records",
    ],
    ["rcourier provision --to staging --readers public --tag team=web", "asks, does it, and tries it"],
  ],
  run: async (args, terminal) => {
    if (text(args, "print") !== undefined) {
      const { printSetup } = await import("./print.ts");
      return printSetup(args, terminal);
    }
    const { provisionDestination } = await import("./run.ts");
    return provisionDestination(args, terminal);
  },
};

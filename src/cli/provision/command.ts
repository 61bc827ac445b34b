import { READERS } from "../../core/bucket/policies.ts";
import { PRINTABLE } from "../../results/printed-setup.ts";
import { SHARED, text, type Command } from "../frame/command.ts";

export const provisionCommand: Command = {
  name: "provision",
  group: "prepare",
  about: "makes bucket and edge ready; shows every change and asks first",
  options: {
    to: SHARED.to,
    settings: SHARED.settings,
    readers: {
      kind: "text",
      value: "WHO",
      about: "who may read the site from the store, if the settings do not say it",
      choices: READERS,
    },
    versioning: { kind: "switch", about: "also keep old versions of objects that are overwritten" },
    tag: { kind: "list", value: "NAME=VALUE", about: "tag the bucket (repeatable)" },
    print: {
      kind: "text",
      value: "WHAT",
      about: "print what you set up yourself: a cache of your own, DNS records, or the duties of any edge",
      choices: PRINTABLE,
    },
    origin: { kind: "text", value: "URL", about: "with --print: where the cache reads from" },
    "purge-from": {
      kind: "list",
      value: "NETWORK",
      about: "with --print: who may make the cache forget copies, such as 10.0.0.0/24 (repeatable)",
    },
    into: { kind: "text", value: "FOLDER", about: "with --print: also write the files to this folder" },
    "dry-run": { ...SHARED["dry-run"], about: "show what would change, and change nothing" },
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
    [
      "rcourier provision --to staging --readers public --tag team=web",
      "asks, makes the changes, and tests them",
    ],
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

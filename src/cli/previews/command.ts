import { SHARED, type Command } from "../frame/command.ts";

export const previewsCommand: Command = {
  name: "previews",
  group: "history",
  about: "lists previews with their addresses and ends; removes some",
  options: {
    to: SHARED.to,
    settings: SHARED.settings,
    remove: { kind: "list", value: "NAME", of: "preview", about: "remove this preview (repeatable)" },
    keep: {
      kind: "list",
      value: "NAME",
      of: "preview",
      about: "remove all others, such as those of deleted branches (repeatable)",
    },
    "dry-run": SHARED["dry-run"],
    yes: SHARED.yes,
    queue: SHARED.queue,
    format: SHARED.format,
    output: SHARED.output,
  },
  examples: [
    ["rcourier previews", "what there is, and for how long"],
    ["rcourier previews --remove spring-fares", "it is live now"],
    ["rcourier previews --keep main --keep spring-fares --yes", "from CI, with every branch that exists"],
  ],
  run: async (args, terminal) => {
    const { lookAtPreviews } = await import("./run.ts");
    return lookAtPreviews(args, terminal);
  },
};

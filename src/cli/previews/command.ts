import { SHARED, type Command } from "../frame/command.ts";

export const previewsCommand: Command = {
  name: "previews",
  group: "history",
  about: "the list of previews, with address, age and end; removes one, or all but some",
  options: {
    to: SHARED.to,
    settings: SHARED.settings,
    remove: { kind: "list", value: "NAME", about: "remove this preview (repeatable)" },
    keep: {
      kind: "list",
      value: "NAME",
      about: "remove all others, such as those of branches that are gone (repeatable)",
    },
    "dry-run": SHARED["dry-run"],
    yes: SHARED.yes,
    queue: SHARED.queue,
    format: SHARED.format,
    output: SHARED.output,
  },
  examples: [
    ["rcourier previews", "what there is to look at, and for how long"],
    ["rcourier previews --remove spring-fares", "it is live now"],
    ["rcourier previews --keep main --keep spring-fares --yes", "from CI, with all branches that there are"],
  ],
  run: async (args, terminal) => {
    const { lookAtPreviews } = await import("./run.ts");
    return lookAtPreviews(args, terminal);
  },
};

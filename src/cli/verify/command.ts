import { SHARED, type Command } from "../frame/command.ts";

export const verifyCommand: Command = {
  name: "verify",
  group: "deliver",
  about: "requests the live site as visitors do; explains every difference",
  options: {
    to: SHARED.to,
    preview: SHARED.preview,
    settings: SHARED.settings,
    sample: {
      kind: "text",
      value: "NUMBER",
      about: "request at most this many files, besides those that changed last",
      default: "200",
    },
    format: { ...SHARED.format, choices: ["text", "json", "junit"] },
    output: SHARED.output,
    summary: SHARED.summary,
    all: { kind: "switch", about: "list every address" },
  },
  examples: [
    ["rcourier verify", "is the site what was delivered, for every kind of client?"],
    ["rcourier verify --sample 5000 --format junit --output verify.xml", "all of it, for CI"],
  ],
  run: async (args, terminal) => {
    const { verifyDestination } = await import("./run.ts");
    return verifyDestination(args, terminal);
  },
};

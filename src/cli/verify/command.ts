import { SHARED, type Command } from "../frame/command.ts";

export const verifyCommand: Command = {
  name: "verify",
  group: "deliver",
  about: "asks for what was delivered as visitors do, and says what is not so, and why",
  options: {
    to: SHARED.to,
    preview: SHARED.preview,
    settings: SHARED.settings,
    sample: {
      kind: "text",
      value: "NUMBER",
      about: "how many files at most, besides what changed last",
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

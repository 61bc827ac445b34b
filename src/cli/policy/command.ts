import { SHARED, type Command } from "../frame/command.ts";

export const policyCommand: Command = {
  name: "policy",
  group: "prepare",
  about: "prints access policies and a CI workflow made from your settings",
  positional: "KIND",
  words: ["delivery", "public", "edge", "workflow", "shell"],
  options: { to: SHARED.to, settings: SHARED.settings, output: SHARED.output },
  examples: [
    ["rcourier policy", "for the credentials that deliver: the rights that the tool needs, and no others"],
    ["rcourier policy public", "the bucket's policy: everybody reads the site, nobody the tool's records"],
    ["rcourier policy edge", "the bucket's policy: only the edge reads"],
    ["rcourier policy workflow", "a workflow file for CI; rcourier policy shell prints a script"],
  ],
  run: async (args, terminal) => {
    const { printPolicy } = await import("./run.ts");
    return printPolicy(args, terminal);
  },
};

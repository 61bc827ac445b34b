import { SHARED, type Command } from "../frame/command.ts";

export const policyCommand: Command = {
  name: "policy",
  group: "prepare",
  about: "prints the least rights that are needed, who may read, and a delivery from CI, out of the settings",
  positional: "KIND",
  options: { to: SHARED.to, settings: SHARED.settings, output: SHARED.output },
  examples: [
    ["rcourier policy", "for the identity that delivers: just the requests that the tool makes"],
    ["rcourier policy public", "the bucket's policy: everybody reads the site, nobody the tool's own part"],
    ["rcourier policy edge", "the bucket's policy: only the edge reads"],
    ["rcourier policy workflow", "a workflow file for CI; rcourier policy shell: the same as a script"],
  ],
  run: async (args, terminal) => {
    const { printPolicy } = await import("./run.ts");
    return printPolicy(args, terminal);
  },
};

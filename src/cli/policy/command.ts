import { SHARED, type Command } from "../frame/command.ts";

export const policyCommand: Command = {
  name: "policy",
  group: "prepare",
  about: "prints access policies and a CI workflow made from your settings",
  positional: "KIND",
  words: ["delivery", "public", "edge", "workflow"],
  options: {
    to: SHARED.to,
    for: {
      kind: "text",
      value: "PLACE",
      about: "for a workflow: where it runs",
      choices: ["github", "gitlab", "shell"],
    },
    branch: {
      kind: "text",
      value: "NAME",
      about: "for a workflow: the only branch that is delivered; otherwise the repository's own",
    },
    settings: SHARED.settings,
    output: SHARED.output,
  },
  examples: [
    ["rcourier policy", "for the credentials that deliver: the rights that the tool needs, and no others"],
    ["rcourier policy public", "the bucket's policy: everybody reads the site, nobody the tool's records"],
    ["rcourier policy edge", "the bucket's policy: only the edge reads"],
    ["rcourier policy workflow --for github", "a complete workflow for CI; gitlab or shell print others"],
  ],
  run: async (args, terminal) => {
    const { printPolicy } = await import("./run.ts");
    return printPolicy(args, terminal);
  },
};

import { SHARED, type Command } from "../frame/command.ts";

export const explainCommand: Command = {
  name: "explain",
  group: "look",
  about: "shows why a file has its role and headers, and what happens to it",
  positional: "PATH",
  options: {
    to: SHARED.to,
    preview: SHARED.preview,
    build: SHARED.build,
    settings: SHARED.settings,
    format: SHARED.format,
    output: SHARED.output,
    all: { kind: "switch", about: "list every file that uses it or that it uses" },
  },
  examples: [
    ["rcourier explain index.html assets/app-1f2e3d4c.js", "files of the build"],
    ["rcourier explain /news/", "the file that answers at an address"],
  ],
  run: async (args, terminal) => {
    const { explainFiles } = await import("./run.ts");
    return explainFiles(args, terminal);
  },
};

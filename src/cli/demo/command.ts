import { isSet, type Command } from "../frame/command.ts";

export const demoCommand: Command = {
  name: "demo",
  group: "practise",
  about: "delivers an example site twice and puts it back, on the sandbox",
  options: { keep: { kind: "switch", about: "leave the sandbox running afterwards, to look around" } },
  examples: [
    ["rcourier demo", "two deliveries and what visitors see of them, in a few seconds"],
    ["rcourier demo --keep", "the same, then look around in a browser"],
  ],
  run: async (args, terminal) => {
    const { runDemo } = await import("./run.ts");
    await runDemo(terminal, { keep: isSet(args, "keep") });
    return 0;
  },
};

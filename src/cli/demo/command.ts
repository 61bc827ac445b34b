import { isSet, type Command } from "../frame/command.ts";

export const demoCommand: Command = {
  name: "demo",
  group: "practise",
  about: "a full example on the sandbox with a ferry line's site, start to end",
  options: { keep: { kind: "switch", about: "leave the sandbox running afterwards, and say where to look" } },
  examples: [
    ["rcourier demo", "two deliveries and what visitors see of them, in some seconds"],
    ["rcourier demo --keep", "the same, then look around in a browser"],
  ],
  run: async (args, terminal) => {
    const { runDemo } = await import("./run.ts");
    await runDemo(terminal, { keep: isSet(args, "keep") });
    return 0;
  },
};

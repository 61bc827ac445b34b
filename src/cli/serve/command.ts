import { SHARED, type Command } from "../frame/command.ts";

export const serveCommand: Command = {
  name: "serve",
  group: "look",
  about: "serves the build on this machine as the destination would answer",
  options: {
    to: { ...SHARED.to, about: "the destination whose rules apply" },
    build: SHARED.build,
    settings: SHARED.settings,
    port: { kind: "text", value: "PORT", about: "the port; 0: any free one", default: "8470" },
    host: {
      kind: "text",
      value: "ADDRESS",
      about: "the address to serve at; 0.0.0.0 shows the build to the whole network",
      default: "127.0.0.1",
    },
    https: { kind: "switch", about: "serve https, with a certificate that it signs itself" },
    reload: { kind: "switch", about: "reload open browsers when the build has changed" },
  },
  examples: [
    ["rcourier serve --reload", "look at the build while you work on it"],
    ["rcourier serve --to production", "with production's rules, and the files that only production has"],
    ["rcourier serve --host 0.0.0.0 --https", "to a phone in the same network, service workers included"],
  ],
  run: async (args, terminal) => {
    const { serveBuild } = await import("./run.ts");
    return serveBuild(args, terminal);
  },
};

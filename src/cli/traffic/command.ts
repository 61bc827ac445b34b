import { SHARED, type Command } from "../frame/command.ts";

export const trafficCommand: Command = {
  name: "traffic",
  group: "history",
  about: "reads access logs: what visitors get, what is missing, and why",
  positional: "LOG",
  options: {
    to: SHARED.to,
    settings: SHARED.settings,
    "from-store": {
      kind: "text",
      value: "[BUCKET:]PREFIX",
      about: "read the logs below a prefix of the store, with the same credentials",
    },
    format: SHARED.format,
    output: SHARED.output,
    report: SHARED.report,
    all: { kind: "switch", about: "list everything that was found" },
  },
  examples: [
    ["rcourier traffic logs/", "all logs of a folder, packed or not"],
    ["zcat old.log.gz | rcourier traffic - today.log", "standard input, and a file"],
    [
      "rcourier traffic --from-store pelican-sound-logs:edge/ --report traffic.html",
      "logs that an edge has put into a bucket, drawn on a page",
    ],
  ],
  run: async (args, terminal) => {
    const { lookAtTraffic } = await import("./run.ts");
    return lookAtTraffic(args, terminal);
  },
};

import { SHARED, type Command } from "../frame/command.ts";

export const releasesCommand: Command = {
  name: "releases",
  group: "history",
  about: "the list of releases; one in full; what changed between two; who holds the destination",
  positional: "RELEASE",
  options: {
    to: SHARED.to,
    preview: SHARED.preview,
    settings: SHARED.settings,
    format: SHARED.format,
    output: SHARED.output,
    report: SHARED.report,
    all: { kind: "switch", about: "list everything" },
    yes: SHARED.yes,
    "take-hold": { kind: "switch", about: "with hold: end another run's hold, after showing it" },
    repair: { kind: "switch", about: "make a lost or damaged pointer anew out of the records" },
  },
  examples: [
    ["rcourier releases", "what can be put back"],
    ["rcourier releases current", "all that the current release holds"],
    ["rcourier releases 6 7", "what changed from release 6 to 7"],
    ["rcourier releases hold", "who is delivering, or did last"],
  ],
  run: async (args, terminal) => {
    const { lookAtReleases } = await import("./run.ts");
    return lookAtReleases(args, terminal);
  },
};

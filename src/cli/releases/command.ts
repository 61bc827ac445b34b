import { SHARED, type Command } from "../frame/command.ts";

export const releasesCommand: Command = {
  name: "releases",
  group: "history",
  about: "lists releases, shows one or compares two; shows who has the hold",
  positional: "RELEASE",
  words: ["hold"],
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
    repair: { kind: "switch", about: "rebuild the record of the current release, if it is lost or damaged" },
  },
  examples: [
    ["rcourier releases", "what can be put back"],
    ["rcourier releases current", "everything in the current release"],
    ["rcourier releases 6 7", "what changed from release 6 to 7"],
    ["rcourier releases hold", "which run has the hold, or had it last"],
  ],
  run: async (args, terminal) => {
    const { lookAtReleases } = await import("./run.ts");
    return lookAtReleases(args, terminal);
  },
};

import { isSet, SHARED, type Command } from "../command.ts";

export const compareCommand: Command = {
  name: "compare",
  group: "look",
  about: "what a delivery would write, remove and invalidate; writes nothing",
  options: {
    to: SHARED.to,
    build: SHARED.build,
    settings: SHARED.settings,
    format: SHARED.format,
    output: SHARED.output,
    all: SHARED.all,
    allow: SHARED.allow,
    "fail-on-change": { kind: "switch", about: "exit 4 when there are differences" },
  },
  examples: [
    ["rcourier compare", "the build against the only (or default) destination"],
    ["rcourier compare --to staging --fail-on-change", "in CI: exit 4 when staging is behind the build"],
  ],
  run: async (args, terminal) => {
    const { compareBuild } = await import("../run-delivery.ts");
    const result = await compareBuild(args, terminal);
    // A worker that is still to be announced makes no release, and is a difference all the same.
    const differs =
      result.release !== result.previous || result.changes.some(({ change }) => change !== "unchanged");
    return isSet(args, "fail-on-change") && differs ? 4 : 0;
  },
};

import { OperatorError } from "../../core/model/failure.ts";
import { isSet, list, SHARED, text, type Command } from "../frame/command.ts";

export const compareCommand: Command = {
  name: "compare",
  group: "look",
  about: "what a delivery would write, remove and invalidate, or what changed between two releases",
  positional: "RELEASE",
  options: {
    to: SHARED.to,
    preview: SHARED.preview,
    build: SHARED.build,
    settings: SHARED.settings,
    format: SHARED.format,
    output: SHARED.output,
    report: SHARED.report,
    all: SHARED.all,
    allow: SHARED.allow,
    "fail-on-change": { kind: "switch", about: "exit 4 when there are differences" },
  },
  examples: [
    ["rcourier compare", "the build against the only (or default) destination"],
    ["rcourier compare previous current", "one release with another"],
    ["rcourier compare --to staging --fail-on-change", "in CI: exit 4 when staging is behind the build"],
  ],
  run: async (args, terminal) => {
    const [from, to, ...others] = list(args, "RELEASE");
    if (from !== undefined) {
      if (text(args, "report") !== undefined)
        throw new OperatorError("usage", {
          reason:
            "--report draws the build against a destination; rcourier releases NUMBER --report draws a release",
          command: "compare",
        });
      if (to === undefined || others.length > 0)
        throw new OperatorError("usage", {
          reason: "two releases are compared with each other; the build is compared without a name",
          command: "compare",
        });
      const { compareTwo } = await import("./run.ts");
      const isOther = await compareTwo(args, terminal, [from, to]);
      return isSet(args, "fail-on-change") && isOther ? 4 : 0;
    }
    const { runCompare } = await import("./run.ts");
    const result = await runCompare(args, terminal);
    // A worker that is still to be announced makes no release, and is a difference all the same.
    const differs =
      result.release !== result.previous || result.changes.some(({ change }) => change !== "unchanged");
    return isSet(args, "fail-on-change") && differs ? 4 : 0;
  },
};

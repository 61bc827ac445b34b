import { OperatorError } from "../../core/model/failure.ts";
import { isSet, list, SHARED, text, type Command } from "../frame/command.ts";

export const compareCommand: Command = {
  name: "compare",
  group: "look",
  about: "shows what a delivery would change, or how two releases differ",
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
    "fail-on-change": { kind: "switch", about: "exit with 4 if there are differences" },
  },
  examples: [
    ["rcourier compare", "the build with the only (or default) destination"],
    ["rcourier compare previous current", "one release with another"],
    ["rcourier compare --to staging --fail-on-change", "in CI: exit with 4 if staging is behind the build"],
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
          reason: "name two releases to compare them, or none to compare the build with the current release",
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

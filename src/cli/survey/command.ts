import { SHARED, type Command } from "../frame/command.ts";

export const surveyCommand: Command = {
  name: "survey",
  group: "look",
  about: "what is in the build: roles, weights, the largest files, problems; asks no destination",
  options: {
    build: SHARED.build,
    to: SHARED.to,
    settings: SHARED.settings,
    format: { ...SHARED.format, choices: ["text", "json", "sarif"] },
    output: SHARED.output,
    all: SHARED.all,
    "fail-on": {
      kind: "text",
      value: "SEVERITY",
      about: "exit 3 when there is one as bad",
      choices: ["error", "warning", "note"],
    },
  },
  examples: [
    ["rcourier survey", "the picture of the build before it is sent"],
    [
      "rcourier survey --build dist --format sarif --output survey.sarif",
      "for a code host, without any settings",
    ],
  ],
  run: async (args, terminal) => {
    const { runSurvey } = await import("./run.ts");
    return runSurvey(args, terminal);
  },
};

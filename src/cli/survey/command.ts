import { SHARED, type Command } from "../frame/command.ts";

export const surveyCommand: Command = {
  name: "survey",
  group: "look",
  about: "shows what is in the build: roles, sizes, largest files, problems",
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
      about: "exit with 3 if a problem is this severe or worse",
      choices: ["error", "warning", "note"],
    },
  },
  examples: [
    ["rcourier survey", "what is in the build, before it is sent"],
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

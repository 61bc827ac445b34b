import type { Survey } from "../../results/survey.ts";

const LEVELS = { error: "error", warning: "warning", note: "note" } as const;

/** A survey's findings in the form that code hosts show beside the sources (OASIS SARIF 2.1.0). */
export function toSarif({ problems }: Survey, version: string): object {
  const rules = [...new Set(problems.map(({ code }) => code))];
  return {
    $schema: "https://docs.oasis-open.org/sarif/sarif/v2.1.0/os/schemas/sarif-schema-2.1.0.json",
    version: "2.1.0",
    runs: [
      {
        tool: { driver: { name: "Restless Courier", version, rules: rules.map((id) => ({ id })) } },
        originalUriBaseIds: { BUILD: { description: { text: "the build folder" } } },
        results: problems.map(({ code, severity, path, line, message, hint }) => ({
          ruleId: code,
          ruleIndex: rules.indexOf(code),
          level: LEVELS[severity],
          message: { text: hint === undefined || hint === "" ? message : `${message}. ${hint}` },
          ...(path === undefined ? {} : { locations: [toLocation(path, line)] }),
        })),
      },
    ],
  };
}

const toLocation = (path: string, line: number | undefined): object => ({
  physicalLocation: {
    artifactLocation: { uri: path.split("/").map(encodeURIComponent).join("/"), uriBaseId: "BUILD" },
    ...(line === undefined ? {} : { region: { startLine: line } }),
  },
});

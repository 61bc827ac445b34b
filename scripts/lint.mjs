// Lint and types in one process: both need the same program of all sources, and making it takes longer than either of them.
import { ESLint } from "eslint";
import ts from "typescript";

/** @returns the program that a project file describes */
function open(project) {
  const host = {
    ...ts.sys,
    onUnRecoverableConfigFileDiagnostic: ({ messageText }) => {
      throw new Error(ts.flattenDiagnosticMessageText(messageText, "\n"));
    },
  };
  const { fileNames, options } = ts.getParsedCommandLineOfConfigFile(project, {}, host);
  return ts.createProgram(fileNames, options);
}

// What runs in a reader's browser knows a page, and not Node.js.
const programs = ["tsconfig.json", "src/report/client/tsconfig.json"].map(open);
const wrong = programs.flatMap((program) => ts.getPreEmitDiagnostics(program));
const format = {
  getCurrentDirectory: () => process.cwd(),
  getCanonicalFileName: (name) => name,
  getNewLine: () => "\n",
};
process.stdout.write(ts.formatDiagnostics(wrong, format));

const parserOptions = { programs, project: undefined };
const eslint = new ESLint({ overrideConfig: [{ files: ["**/*.ts"], languageOptions: { parserOptions } }] });
const results = await eslint.lintFiles(["."]);
process.stdout.write(await (await eslint.loadFormatter("stylish")).format(results));
const hasErrors = results.some(({ errorCount, warningCount }) => errorCount + warningCount > 0);
process.exit(wrong.length > 0 || hasErrors ? 1 : 0);

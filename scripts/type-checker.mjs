// Type errors of one file with another text in it, quickly: a language service that keeps all other files.
import { readFileSync } from "node:fs";
import { resolve } from "node:path";
import ts from "typescript";

/** @returns {(file: string, text: string) => readonly unknown[]} what the compiler says about that file with that text */
export function typeChecker() {
  const { config } = ts.readConfigFile("tsconfig.json", (file) => readFileSync(file, "utf8"));
  const { fileNames, options } = ts.parseJsonConfigFileContent(config, ts.sys, process.cwd());
  const changed = new Map();
  const host = {
    getScriptFileNames: () => fileNames,
    getScriptVersion: (file) => String(changed.get(file)?.version ?? 0),
    getScriptSnapshot: (file) => {
      const text = changed.get(file)?.text ?? ts.sys.readFile(file);
      return text === undefined ? undefined : ts.ScriptSnapshot.fromString(text);
    },
    getCurrentDirectory: () => process.cwd(),
    getCompilationSettings: () => ({
      ...options,
      noEmit: true,
      noUnusedLocals: false,
      noUnusedParameters: false,
    }),
    getDefaultLibFileName: (from) => ts.getDefaultLibFilePath(from),
    fileExists: (file) => ts.sys.fileExists(file),
    readFile: (file) => ts.sys.readFile(file),
    readDirectory: (...args) => ts.sys.readDirectory(...args),
    directoryExists: (folder) => ts.sys.directoryExists(folder),
    getDirectories: (folder) => ts.sys.getDirectories(folder),
  };
  const service = ts.createLanguageService(host);
  let version = 0;
  return (name, text) => {
    const file = resolve(name);
    changed.set(file, { text, version: ++version });
    const errors = [...service.getSyntacticDiagnostics(file), ...service.getSemanticDiagnostics(file)];
    changed.set(file, { text: undefined, version: ++version });
    return errors;
  };
}

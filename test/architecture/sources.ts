import { readdirSync, readFileSync } from "node:fs";
import { dirname, join, normalize } from "node:path";
import ts from "typescript";

export const listFiles = (folder: string, ending: string): string[] =>
  readdirSync(folder, { recursive: true, encoding: "utf8" })
    .filter((name) => name.endsWith(ending))
    .map((name) => join(folder, name));

/** Files of the program, without their tests. */
export const SOURCES = listFiles("src", ".ts").filter((path) => !path.endsWith(".test.ts"));

/** Several rules read the same files. */
const PARSED = new Map<string, ts.SourceFile>();

export function parse(path: string): ts.SourceFile {
  const parsed = PARSED.get(path) ?? parseText(readFileSync(path, "utf8"), path);
  PARSED.set(path, parsed);
  return parsed;
}

export const parseText = (text: string, path = "text.ts"): ts.SourceFile =>
  ts.createSourceFile(path, text, ts.ScriptTarget.Latest, true);

/** What a node is made of, and so on; without single tokens. */
export function nodesOf(node: ts.Node): ts.Node[] {
  const nodes = [node];
  // Grows while it is gone through.
  for (const parent of nodes) ts.forEachChild(parent, (child) => void nodes.push(child));
  return nodes;
}

/** What a file imports from this project, statically or not. */
export const importsOf = (path: string, text = readFileSync(path, "utf8")): string[] =>
  [...text.matchAll(/(?:from|import)\s*\(?\s*"(\.[^"]+)"/g)].map(([, target = ""]) =>
    normalize(join(dirname(path), target)),
  );

/** Functions and classes that a file exports. */
export const exportsOf = (source: ts.SourceFile): ts.Statement[] =>
  source.statements.filter((statement) => {
    if (!ts.canHaveModifiers(statement)) return false;
    const isExported = ts.getModifiers(statement)?.some(({ kind }) => kind === ts.SyntaxKind.ExportKeyword);
    if (isExported !== true) return false;
    if (ts.isFunctionDeclaration(statement) || ts.isClassDeclaration(statement)) return true;
    return (
      ts.isVariableStatement(statement) &&
      statement.declarationList.declarations.some(
        ({ initializer }) => initializer && ts.isArrowFunction(initializer),
      )
    );
  });

import { readdirSync, readFileSync } from "node:fs";
import { dirname, join, normalize } from "node:path";
import ts from "typescript";

export const listFiles = (folder: string, ending: string): string[] =>
  readdirSync(folder, { recursive: true, encoding: "utf8" })
    .filter((name) => name.endsWith(ending))
    .map((name) => join(folder, name));

/** Files of the program, without their tests. */
export const SOURCES = listFiles("src", ".ts").filter((path) => !path.endsWith(".test.ts"));

export const parse = (path: string, text = readFileSync(path, "utf8")): ts.SourceFile =>
  ts.createSourceFile(path, text, ts.ScriptTarget.Latest, true);

export function* nodesOf(node: ts.Node): Generator<ts.Node> {
  yield node;
  for (const child of node.getChildren()) yield* nodesOf(child);
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

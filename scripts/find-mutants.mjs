// The small faults that can be put into a source file, found in its syntax tree.
import ts from "typescript";

const { SyntaxKind: Kind } = ts;

/** What an operator is mistaken for. */
const MISTAKEN = new Map([
  ["===", "!=="],
  ["!==", "==="],
  ["<", "<="],
  ["<=", "<"],
  [">", ">="],
  [">=", ">"],
  ["&&", "||"],
  ["||", "&&"],
  ["+", "-"],
  ["-", "+"],
  ["*", "/"],
  ["/", "*"],
  ["+=", "-="],
  ["-=", "+="],
]);

/** What a method is mistaken for; `undefined` leaves the call out. */
const MISTAKEN_CALLS = new Map([
  ["some", "every"],
  ["every", "some"],
  ["min", "max"],
  ["max", "min"],
  ["startsWith", "endsWith"],
  ["endsWith", "startsWith"],
  ["filter", undefined],
  ["sort", undefined],
  ["reverse", undefined],
  ["slice", undefined],
  ["toLowerCase", undefined],
  ["trim", undefined],
]);

/**
 * @param {string} text of one file
 * @returns {{ start: number, end: number, to: string }[]} each a fault: this stretch becomes that text
 */
export function findMutants(text) {
  const source = ts.createSourceFile("one.ts", text, ts.ScriptTarget.Latest, true);
  const found = [];
  const add = (node, to) => found.push({ start: node.getStart(source), end: node.getEnd(), to });
  const visit = (node) => {
    if (isTuning(node)) return;
    if (ts.isTypeNode(node) || ts.isImportDeclaration(node) || ts.isExportDeclaration(node)) return;
    if (ts.isInterfaceDeclaration(node) || ts.isTypeAliasDeclaration(node)) return;
    mutate(node, add, text);
    ts.forEachChild(node, visit);
  };
  visit(source);
  return found;
}

/** A number with a name in capitals: a limit or a time, chosen by measure. A test that pins it would only say it again. */
const isTuning = (node) =>
  ts.isVariableDeclaration(node) &&
  /^[A-Z][A-Z0-9_]*$/.test(node.name.getText()) &&
  node.initializer !== undefined &&
  /^[\d_\s*./+-]+$/.test(node.initializer.getText());

function mutate(node, add, text) {
  const of = (part) => text.slice(part.getStart(), part.getEnd());
  if (ts.isBinaryExpression(node)) {
    const to = MISTAKEN.get(of(node.operatorToken));
    if (to !== undefined) add(node.operatorToken, to);
    if (of(node.operatorToken) === "??") add(node, of(node.right));
  }
  if (ts.isPrefixUnaryExpression(node) && node.operator === Kind.ExclamationToken)
    add(node, of(node.operand));
  if (ts.isIfStatement(node) || ts.isWhileStatement(node)) {
    if (ts.isIfStatement(node)) add(node.expression, "true");
    add(node.expression, "false");
  }
  if (ts.isConditionalExpression(node)) {
    add(node.condition, "true");
    add(node.condition, "false");
  }
  if (ts.isNumericLiteral(node)) add(node, `(${of(node)} + 1)`);
  if (node.kind === Kind.TrueKeyword) add(node, "false");
  if (node.kind === Kind.FalseKeyword) add(node, "true");
  if (ts.isStringLiteral(node) && node.text !== "" && !ts.isPropertyAssignment(node.parent.parent ?? node))
    add(node, '""');
  if (ts.isExpressionStatement(node) && !ts.isStringLiteral(node.expression)) add(node, ";");
  if (ts.isArrayLiteralExpression(node) && node.elements.length > 0) add(node, "[]");
  if (ts.isCallExpression(node) && ts.isPropertyAccessExpression(node.expression)) {
    const { name, expression } = node.expression;
    if (!MISTAKEN_CALLS.has(name.text)) return;
    const to = MISTAKEN_CALLS.get(name.text);
    if (to === undefined) add(node, of(expression));
    else add(name, to);
  }
}

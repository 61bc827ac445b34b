import {
  isTokenAtKeyword,
  isTokenCloseCurly,
  isTokenFunction,
  isTokenSemicolon,
  isTokenString,
  isTokenURL,
  isTokenWhiteSpaceOrComment,
  tokenize,
} from "@csstools/css-tokenizer";
import type { Reference } from "../../model/reference.ts";
import { createLineFinder } from "./reference.ts";

/**
 * What a style sheet loads: `url()` and `@import`, by the tokens of CSS Syntax Level 3 §4.
 * @param firstLine the line of the page on which an inline style begins
 */
export function findCssReferences(css: string, firstLine = 1): Reference[] {
  const lineOf = createLineFinder(css);
  const found: Reference[] = [];
  const tokens = tokenize({ css }).filter((token) => !isTokenWhiteSpaceOrComment(token));
  let [inImport, inDeclaration] = [false, false];
  for (const [index, token] of tokens.entries()) {
    const before = tokens[index - 1];
    if (isTokenSemicolon(token) || isTokenCloseCurly(token)) inDeclaration = false;
    if (isTokenAtKeyword(token)) inImport = token[4].value.toLowerCase() === "import";
    const isArgument = before && isTokenFunction(before) && before[4].value.toLowerCase() === "url";
    const isImported = inImport && before && isTokenAtKeyword(before);
    const url =
      isTokenURL(token) || (isTokenString(token) && (isImported || isArgument)) ? token[4].value : undefined;
    if (url === undefined || url === "") continue;
    // Of several forms of a font, or of a picture, browsers take one.
    const later = inDeclaration ? { isLater: true as const } : {};
    const line = lineOf(token[2]) + firstLine - 1;
    found.push({ kind: inImport ? "asset" : "decoration", url, line, ...later });
    [inDeclaration, inImport] = [!inImport, false];
  }
  return found;
}

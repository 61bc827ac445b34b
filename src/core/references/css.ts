import {
  isTokenAtKeyword,
  isTokenFunction,
  isTokenString,
  isTokenURL,
  isTokenWhiteSpaceOrComment,
  tokenize,
} from "@csstools/css-tokenizer";
import { createLineFinder, type Reference } from "./reference.ts";

/**
 * What a style sheet loads: `url()` and `@import`, by the tokens of CSS Syntax Level 3 §4.
 * @param firstLine the line of the page on which an inline style begins
 */
export function findCssReferences(css: string, firstLine = 1): Reference[] {
  const lineOf = createLineFinder(css);
  const found: Reference[] = [];
  const tokens = tokenize({ css }).filter((token) => !isTokenWhiteSpaceOrComment(token));
  for (const [index, token] of tokens.entries()) {
    const before = tokens[index - 1];
    const isImport = before && isTokenAtKeyword(before) && before[4].value.toLowerCase() === "import";
    const isArgument = before && isTokenFunction(before) && before[4].value.toLowerCase() === "url";
    const url =
      isTokenURL(token) || (isTokenString(token) && (isImport || isArgument)) ? token[4].value : undefined;
    if (url !== undefined && url !== "")
      found.push({ kind: isImport ? "asset" : "decoration", url, line: lineOf(token[2]) + firstLine - 1 });
  }
  return found;
}

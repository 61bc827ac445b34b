import {
  isTokenAtKeyword,
  isTokenFunction,
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
  let inImport = false;
  for (const [index, token] of tokens.entries()) {
    const before = tokens[index - 1];
    if (isTokenAtKeyword(token)) inImport = token[4].value.toLowerCase() === "import";
    const isArgument = before && isTokenFunction(before) && before[4].value.toLowerCase() === "url";
    const isImported = inImport && before && isTokenAtKeyword(before);
    const url =
      isTokenURL(token) || (isTokenString(token) && (isImported || isArgument)) ? token[4].value : undefined;
    if (url === undefined || url === "") continue;
    found.push({ kind: inImport ? "asset" : "decoration", url, line: lineOf(token[2]) + firstLine - 1 });
    inImport = false;
  }
  return found;
}

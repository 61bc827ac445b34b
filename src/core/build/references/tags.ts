import { Parser } from "htmlparser2";

export type Attributes = Readonly<Record<string, string>>;

/** No page has elements so deep within one another. The parser's work grows with the square of it. */
const DEEPEST = 1000;
class TooDeep extends Error {}

/**
 * Reads a page's opening tags in their order, as browsers do, with their character references read.
 * Of a page whose elements are absurdly deep within one another only what stands before that is read.
 * @param onTag is given each tag with its attributes and the place where it begins; what it returns is given the text of that
 *   element, as far as it goes before another tag
 * @returns whether the page was read to its end
 */
export function readTags(
  html: string,
  onTag: (tag: string, attributes: Attributes, at: number) => ((text: string) => void) | undefined,
): boolean {
  let raw: { readonly take: (text: string) => void; text: string } | undefined;
  let depth = 0;
  const parser = new Parser({
    onopentag: (tag, attributes) => {
      depth += 1;
      if (depth > DEEPEST) throw new TooDeep();
      const take = onTag(tag, attributes, parser.startIndex);
      raw = take && { take, text: "" };
    },
    ontext: (text) => {
      if (raw) raw.text += text;
    },
    onclosetag: () => {
      depth -= 1;
      raw?.take(raw.text);
      raw = undefined;
    },
  });
  try {
    parser.end(html);
    return true;
  } catch (error) {
    if (!(error instanceof TooDeep)) throw error;
    return false;
  }
}

import XMLBuilder from "fast-xml-builder";
import { XMLParser } from "fast-xml-parser";

const builder = new XMLBuilder({
  ignoreAttributes: false,
  attributeNamePrefix: "@",
  suppressEmptyNode: true,
});
const parser = new XMLParser({
  ignoreAttributes: true,
  parseTagValue: false,
  processEntities: true,
  trimValues: false,
});

const NAMESPACE = "http://s3.amazonaws.com/doc/2006-03-01/";

export const toXml = (root: string, content: object): string =>
  `<?xml version="1.0" encoding="UTF-8"?>\n${builder.build({ [root]: { "@xmlns": NAMESPACE, ...content } })}`;

export const toErrorXml = (content: object): string =>
  `<?xml version="1.0" encoding="UTF-8"?>\n${builder.build({ Error: content })}`;

/** The document below its root element; empty for a text that is none. */
export function parseXml(text: string, root: string): Record<string, unknown> {
  const found = (parser.parse(text) as Record<string, unknown>)[root];
  return typeof found === "object" && found !== null ? (found as Record<string, unknown>) : {};
}

/** Elements that may stand once or many times. */
export const many = (value: unknown): Record<string, unknown>[] =>
  (value === undefined ? [] : [value].flat()) as Record<string, unknown>[];

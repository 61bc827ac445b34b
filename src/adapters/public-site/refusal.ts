import { XMLParser } from "fast-xml-parser";
import type { VisitorAnswer } from "../../core/model/visitor-answer.ts";

/** A store's own refusal is short. */
const MOST_BYTES = 8192;

/** The code in an error answer of the S3 protocol: XML from the bucket's own address, a list in HTML from a website endpoint. */
export function findRefusal(body: Uint8Array): VisitorAnswer["refusal"] {
  if (body.length === 0 || body.length > MOST_BYTES) return undefined;
  const text = Buffer.from(body).toString("utf8");
  return /^\s*(<\?xml|<Error)/.test(text) ? fromXml(text) : fromHtml(text);
}

function fromXml(text: string): VisitorAnswer["refusal"] {
  try {
    const { Error: error } = new XMLParser({ parseTagValue: false }).parse(text) as {
      Error?: Record<string, unknown>;
    };
    const { Code: code, Key: key } = error ?? {};
    return typeof code === "string" ? { code, ...(typeof key === "string" ? { key } : {}) } : undefined;
  } catch {
    return undefined;
  }
}

function fromHtml(text: string): VisitorAnswer["refusal"] {
  const said = (name: string): string | undefined => new RegExp(`<li>${name}: ([^<]+)</li>`).exec(text)?.[1];
  const [code, key] = [said("Code"), said("Key")];
  return code === undefined ? undefined : { code, ...(key === undefined ? {} : { key }) };
}

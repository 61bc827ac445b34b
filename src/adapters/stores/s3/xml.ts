import { Parser } from "htmlparser2";

/** An element of an answer: the protocol has no attributes that matter, and no text beside elements. */
export interface XmlElement {
  /** Without its namespace. */
  readonly name: string;
  readonly text: string;
  readonly children: readonly XmlElement[];
}

interface OpenElement {
  readonly name: string;
  text: string;
  readonly children: XmlElement[];
}

/** Deeper than any answer of the protocol. */
const DEEPEST = 32;

/**
 * Reads an answer (XML 1.0). Lenient about what does no harm; a document that is not one element, whole and closed, is
 * nothing of the protocol's: a page of some server on the way, half an answer.
 * @returns undefined where it is none
 */
export function parseXml(document: string): XmlElement | undefined {
  let root: OpenElement | undefined;
  let isWhole = true as boolean;
  const open: OpenElement[] = [];
  const parser = new Parser(
    {
      onopentagname: (name) => {
        const element: OpenElement = { name: name.slice(name.indexOf(":") + 1), text: "", children: [] };
        const parent = open.at(-1);
        if (parent) parent.children.push(element);
        else if (root) isWhole = false;
        else root = element;
        if (open.push(element) > DEEPEST) isWhole = false;
      },
      ontext: (text) => {
        const element = open.at(-1);
        if (element) element.text += text;
        else if (text.trim() !== "") isWhole = false;
      },
      onclosetag: (_, isImplied) => {
        const element = open.pop();
        // So it is called for `<Key/>`, too, which has nothing in it.
        if (isImplied && element && (element.text !== "" || element.children.length > 0)) isWhole = false;
      },
    },
    { xmlMode: true, decodeEntities: true },
  );
  parser.write(document);
  const isClosed = isWhole && open.length === 0;
  parser.end();
  return isClosed ? root : undefined;
}

/** The text of the first child of this name; undefined where there is none. */
export const textOf = ({ children }: XmlElement, name: string): string | undefined =>
  children.find((child) => child.name === name)?.text;

/** All children of this name, in their order. */
export const childrenOf = ({ children }: XmlElement, name: string): XmlElement[] =>
  children.filter((child) => child.name === name);

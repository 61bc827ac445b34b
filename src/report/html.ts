import type { Element, ElementContent } from "hast";
import { h as make, s as draw } from "hastscript";
import { toHtml as write } from "hast-util-to-html";

/** What stands inside an element: text is escaped, nothing else is text. */
export type Inside = string | number | Element | undefined | readonly Inside[];

/** Attributes by their names as properties; one that is undefined is left out. */
type Properties = Readonly<Record<string, string | number | boolean | string[] | undefined>>;

const toContent = (inside: readonly Inside[]): ElementContent[] =>
  inside.flatMap((one): ElementContent[] => {
    if (one === undefined) return [];
    if (typeof one === "string" || typeof one === "number") return [{ type: "text", value: String(one) }];
    return Array.isArray(one) ? toContent(one as readonly Inside[]) : [one as Element];
  });

/** An element of HTML. */
export const h = (name: string, properties: Properties, ...inside: readonly Inside[]): Element =>
  make(name, properties, toContent(inside));

/** An element of SVG. */
export const s = (name: string, properties: Properties, ...inside: readonly Inside[]): Element =>
  draw(name, properties, toContent(inside));

/** As it is written in a page. */
export const toHtml = (element: Element): string => write(element);

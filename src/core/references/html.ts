import { parse, type DefaultTreeAdapterMap } from "parse5";
import { findCssReferences } from "./css.ts";
import { findScriptReferences } from "./javascript.ts";
import type { Reference, ReferenceKind } from "./reference.ts";

type Element = DefaultTreeAdapterMap["element"];
type HtmlNode = DefaultTreeAdapterMap["node"];

/** Attributes that make a browser load something, or lead somewhere (WHATWG HTML, index of attributes). */
const ATTRIBUTES: Readonly<Record<string, Readonly<Record<string, ReferenceKind>>>> = {
  script: { src: "asset" },
  img: { src: "asset" },
  source: { src: "asset" },
  video: { src: "asset", poster: "asset" },
  audio: { src: "asset" },
  track: { src: "asset" },
  embed: { src: "asset" },
  object: { data: "asset" },
  input: { src: "asset" },
  iframe: { src: "link" },
  a: { href: "link" },
  area: { href: "link" },
  form: { action: "link" },
};

/** `rel` values whose target the browser loads, and those that only point somewhere. */
const LOADED =
  /^(stylesheet|icon|shortcut|apple-touch-icon(-precomposed)?|mask-icon|manifest|preload|modulepreload|prefetch)$/i;
const POINTED = /^(canonical|alternate|next|prev|author|license|help|search)$/i;

/** What a page loads and where it leads, by a parser that reads it as browsers do. */
export function findHtmlReferences(html: string): Reference[] {
  const found: Reference[] = [];
  let base: string | undefined;
  const open: HtmlNode[] = [parse(html, { sourceCodeLocationInfo: true })];
  while (open.length > 0) {
    const node = open.pop() as HtmlNode;
    if ("tagName" in node) {
      if (node.tagName === "base") base ??= attribute(node, "href");
      found.push(...referencesOf(node));
    }
    if ("childNodes" in node) open.push(...node.childNodes.toReversed());
    if ("content" in node) open.push(node.content);
  }
  const kept = found.filter(({ url }) => url !== "" && !url.startsWith("#"));
  return base === undefined ? kept : kept.map((reference) => ({ ...reference, base: base as string }));
}

function referencesOf(element: Element): Reference[] {
  const line = element.sourceCodeLocation?.startLine ?? 1;
  const found: Reference[] = [];
  const add = (kind: ReferenceKind, url: string | undefined): void => {
    if (url !== undefined) found.push({ kind, url: url.trim(), line });
  };
  for (const [name, kind] of Object.entries(ATTRIBUTES[element.tagName] ?? {}))
    add(kind, attribute(element, name));
  for (const name of ["srcset", "imagesrcset"])
    for (const url of parseSrcset(attribute(element, name) ?? "")) add("asset", url);
  const style = attribute(element, "style");
  if (style !== undefined) found.push(...findCssReferences(style, line));
  if (element.tagName === "link")
    add(
      kindOfLink(attribute(element, "rel") ?? "") ?? "link",
      kindOfLink(attribute(element, "rel") ?? "") && attribute(element, "href"),
    );
  if (
    element.tagName === "meta" &&
    /^(og|twitter):(image|video|audio)$/.test(
      attribute(element, "property") ?? attribute(element, "name") ?? "",
    )
  ) {
    add("link", attribute(element, "content"));
  }
  if (element.tagName === "style") found.push(...findCssReferences(textOf(element), line));
  if (element.tagName === "script" && attribute(element, "src") === undefined && isScript(element)) {
    found.push(...findScriptReferences(textOf(element), line));
  }
  return found;
}

const attribute = (element: Element, name: string): string | undefined =>
  element.attrs.find((candidate) => candidate.name === name)?.value;

function kindOfLink(rel: string): ReferenceKind | undefined {
  const words = rel.split(/\s+/);
  if (words.some((word) => LOADED.test(word))) return "asset";
  return words.some((word) => POINTED.test(word)) ? "link" : undefined;
}

const isScript = (element: Element): boolean =>
  /^(|module|text\/javascript|application\/javascript)$/i.test(attribute(element, "type") ?? "");

const textOf = (element: Element): string =>
  element.childNodes.map((child) => ("value" in child ? child.value : "")).join("");

/** The addresses of an image candidate list (WHATWG HTML §4.8.4.2.1). */
export function parseSrcset(text: string): string[] {
  const found: string[] = [];
  let rest = text;
  for (;;) {
    rest = rest.replace(/^[\s,]+/, "");
    const [url] = /^\S+/.exec(rest) ?? [];
    if (url === undefined) return found;
    rest = rest.slice(url.length);
    found.push(url.replace(/,+$/, ""));
    // A comma at the end of the address ends the candidate; otherwise its descriptors go on to the next comma.
    if (!url.endsWith(",")) rest = rest.replace(/^(\([^)]*\)|[^,(])*/, "");
  }
}

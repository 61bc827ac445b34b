import type { Reference, ReferenceKind } from "../../model/reference.ts";
import { findCssReferences } from "./css.ts";
import { findScriptReferences } from "./javascript.ts";
import { createLineFinder } from "./reference.ts";
import { readTags, type Attributes } from "./tags.ts";

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
  iframe: { src: "frame" },
  a: { href: "link" },
  area: { href: "link" },
  form: { action: "link" },
};

/** `rel` values: what the page needs, what browsers load besides, and what only points somewhere. */
const NEEDED = /^stylesheet$/i;
const LOADED =
  /^(icon|shortcut|apple-touch-icon(-precomposed)?|mask-icon|manifest|preload|modulepreload|prefetch)$/i;
/** What of them the browser loads for the page at once. */
const NOW = /(^|\s)(stylesheet|preload|modulepreload)(\s|$)/i;
/** Players load what they play, and forms of it, when they are asked to. */
const LATER_TAGS = /^(source|audio|video|track)$/;
const POINTED = /^(canonical|alternate|next|prev|author|license|help|search)$/i;

/**
 * What a page loads and where it leads, by a parser that reads tags, raw texts and character references as browsers do.
 * Of a page whose elements are absurdly deep within one another only what stands before that is read.
 * @param onCut is told of such a page
 */
export function findHtmlReferences(html: string, onCut: () => void = () => undefined): Reference[] {
  const lineOf = createLineFinder(html);
  const found: Reference[] = [];
  let base: string | undefined;
  const isWhole = readTags(html, (tag, attributes, at) => {
    const line = lineOf(at);
    if (tag === "base") base ??= attributes.href;
    for (const reference of referencesOf(tag, attributes, line)) found.push(reference);
    const find =
      tag === "style"
        ? findCssReferences
        : tag === "script" && isInlineScript(attributes)
          ? findScriptReferences
          : undefined;
    return (
      find &&
      ((text) => {
        for (const reference of find(text, line)) found.push(reference);
      })
    );
  });
  if (!isWhole) onCut();
  const kept = found.filter(({ url }) => url !== "" && !url.startsWith("#"));
  return base === undefined ? kept : kept.map((reference) => ({ ...reference, base: base as string }));
}

function referencesOf(tag: string, attributes: Attributes, line: number): Reference[] {
  const found: Reference[] = [];
  const isLazy = attributes.loading === "lazy" || (tag === "link" && !NOW.test(attributes.rel ?? ""));
  const add = (kind: ReferenceKind | undefined, url: string | undefined, isLater = isLazy): void => {
    const isPinned = kind !== "link" && (attributes.integrity ?? "") !== "";
    const pinned = isPinned ? { isPinned: true as const } : {};
    if (kind !== undefined && url !== undefined)
      found.push({ kind, url: url.trim(), line, ...pinned, ...(isLater && { isLater }) });
  };
  for (const [name, kind] of Object.entries(ATTRIBUTES[tag] ?? {}))
    add(kind, attributes[name], isLazy || LATER_TAGS.test(tag));
  for (const name of ["srcset", "imagesrcset"])
    for (const [index, url] of parseSrcset(attributes[name] ?? "").entries())
      add(
        tag === "link" ? "decoration" : "asset",
        url,
        isLazy || index > 0 || tag === "source" || attributes.src !== undefined,
      );
  if (attributes.style !== undefined)
    for (const reference of findCssReferences(attributes.style, line)) found.push(reference);
  if (tag === "link") add(kindOfLink(attributes.rel ?? ""), attributes.href);
  const isPicture =
    tag === "meta" && /^(og|twitter):(image|video|audio)$/.test(attributes.property ?? attributes.name ?? "");
  if (isPicture) add("decoration", attributes.content, true);
  return found;
}

function kindOfLink(rel: string): ReferenceKind | undefined {
  const words = rel.split(/\s+/);
  if (words.some((word) => NEEDED.test(word))) return "asset";
  if (words.some((word) => LOADED.test(word))) return "decoration";
  return words.some((word) => POINTED.test(word)) ? "link" : undefined;
}

const isInlineScript = ({ src, type }: Attributes): boolean =>
  src === undefined && /^(|module|text\/javascript|application\/javascript)$/i.test(type ?? "");

/** The addresses of an image candidate list (WHATWG HTML §4.8.4.2.1). */
export function parseSrcset(text: string): string[] {
  const found: string[] = [];
  // Each begins where the one before it has ended: nothing is read twice.
  const next = { lead: /[\s,]*/y, url: /\S+/y, descriptors: /(?:\([^)]*(?:\)|$)|[^,(])*/y };
  let at = 0;
  const take = (pattern: RegExp): string => {
    pattern.lastIndex = at;
    const [taken = ""] = pattern.exec(text) ?? [];
    at += taken.length;
    return taken;
  };
  for (;;) {
    take(next.lead);
    const url = take(next.url);
    if (url === "") return found;
    let end = url.length;
    while (url[end - 1] === ",") end -= 1;
    found.push(url.slice(0, end));
    // A comma at the end of the address ends the candidate; otherwise its descriptors go on to the next comma.
    if (end === url.length) take(next.descriptors);
  }
}

import type { PageNeeds } from "../model/page-needs.ts";
import { findCssReferences } from "./references/css.ts";
import { parseSrcset } from "./references/html.ts";
import { readTags, type Attributes } from "./references/tags.ts";

/** Files that are looked at. */
export const NEEDING = /\.(x?html?|css|m?js|cjs)$/i;

export interface NeedTools {
  /** SHA-256 of a text's UTF-8, in base64. */
  readonly hash: (text: string) => string;
  /** The site's own, where it is known: `https://www.pelicansound.example`. */
  readonly origin: string | undefined;
}

/** Attributes that make a browser load something, and the directive that is asked about it (CSP Level 3 §6.1). */
const LOADS: Readonly<Record<string, Readonly<Record<string, string>>>> = {
  script: { src: "script-src" },
  img: { src: "img-src" },
  input: { src: "img-src" },
  video: { src: "media-src", poster: "img-src" },
  audio: { src: "media-src" },
  track: { src: "media-src" },
  iframe: { src: "frame-src" },
  frame: { src: "frame-src" },
  embed: { src: "object-src" },
  object: { data: "object-src" },
  form: { action: "form-action" },
  base: { href: "base-uri" },
};

/** What a link loads, by its `as` where it loads ahead. */
const AHEAD: Readonly<Record<string, string>> = {
  script: "script-src",
  style: "style-src",
  image: "img-src",
  font: "font-src",
  fetch: "connect-src",
  video: "media-src",
  audio: "media-src",
  track: "media-src",
};

/** What one file of a build has browsers load and run, that is not the site's own file. */
export function findPageNeeds(path: string, text: string, tools: NeedTools): PageNeeds {
  const needs = new Needs(tools);
  if (/\.css$/i.test(path)) needs.addStyles(text);
  else if (/\.(m?js|cjs)$/i.test(path)) needs.addScript(text);
  else needs.addPage(text);
  return needs.list();
}

/** The needs of many files as one. */
export function joinNeeds(all: Iterable<PageNeeds>): PageNeeds {
  const joined = new Map<string, Set<string>>();
  for (const needs of all)
    for (const [directive, sources] of Object.entries(needs)) {
      const known = joined.get(directive) ?? new Set();
      for (const source of sources) known.add(source);
      joined.set(directive, known);
    }
  return toNeeds(joined);
}

const toNeeds = (found: ReadonlyMap<string, ReadonlySet<string>>): PageNeeds =>
  Object.fromEntries(
    [...found]
      .sort(([a], [b]) => (a < b ? -1 : 1))
      .map(([directive, sources]) => [directive, [...sources].sort()]),
  );

/** Script elements whose text is run, or counts as a script's (CSP Level 3 §4.2.3; import maps and speculation rules included). */
const RUN =
  /^(|module|importmap|speculationrules|text\/(java|ecma)script|application\/(x-)?(java|ecma)script)$/i;

class Needs {
  private readonly found = new Map<string, Set<string>>();

  constructor(private readonly tools: NeedTools) {}

  list(): PageNeeds {
    return toNeeds(this.found);
  }

  addPage(html: string): void {
    readTags(html, (tag, attributes) => {
      this.addTag(tag, attributes);
      if (tag === "style")
        return (text) => {
          this.add("style-src", "'unsafe-inline'");
          this.addStyles(text);
        };
      const isRun =
        tag === "script" && attributes.src === undefined && RUN.test(attributes.type?.trim() ?? "");
      return isRun
        ? (text) => {
            this.addInlineScript(text);
          }
        : undefined;
    });
  }

  private addInlineScript(text: string): void {
    if (text === "") return;
    // Browsers read line ends as one letter each (WHATWG HTML §13.2.3.5).
    this.add("script-src", `'sha256-${this.tools.hash(text.replace(/\r\n?/g, "\n"))}'`);
    this.addScript(text);
  }

  /** What is named in styles may be a picture or a font. */
  addStyles(css: string): void {
    for (const { kind, url } of findCssReferences(css)) {
      if (kind === "asset") this.addUrl("style-src", url);
      else for (const directive of ["img-src", "font-src"]) this.addUrl(directive, url);
    }
  }

  /** What scripts ask for by a whole address; they may set styles, too. */
  addScript(text: string): void {
    this.add("style-src", "'unsafe-inline'");
    for (const [, url = ""] of text.matchAll(/\bfetch\(\s*["'`](https?:\/\/[^"'`$\s]+)/g))
      this.addUrl("connect-src", url);
    for (const [, url = ""] of text.matchAll(
      /\bnew\s+(?:WebSocket|EventSource)\(\s*["'`]((?:wss?|https?):\/\/[^"'`$\s]+)/g,
    ))
      this.addUrl("connect-src", url);
    for (const [, url = ""] of text.matchAll(/\bimport\(?\s*["'`](https?:\/\/[^"'`$\s]+)/g))
      this.addUrl("script-src", url);
    if (/\bWebAssembly\b/.test(text)) this.add("script-src", "'wasm-unsafe-eval'");
    if (/\bnew\s+(Shared)?Worker\(\s*URL\.createObjectURL/.test(text)) this.add("worker-src", "blob:");
  }

  private addTag(tag: string, attributes: Attributes): void {
    for (const [name, directive] of Object.entries(LOADS[tag] ?? {}))
      this.addUrl(directive, attributes[name]);
    for (const name of ["srcset", "imagesrcset"])
      for (const url of parseSrcset(attributes[name] ?? "")) this.addUrl("img-src", url);
    if (tag === "source") {
      this.addUrl("media-src", attributes.src);
    }
    if (tag === "link") this.addUrl(directiveOf(attributes), attributes.href);
    if (attributes.style !== undefined) {
      this.add("style-src", "'unsafe-inline'");
      this.addStyles(attributes.style);
    }
    for (const [name, code] of Object.entries(attributes))
      if (/^on[a-z]+$/.test(name) && code !== "") {
        this.add("script-src", "'unsafe-hashes'");
        this.add("script-src", `'sha256-${this.tools.hash(code.replace(/\r\n?/g, "\n"))}'`);
      }
  }

  private addUrl(directive: string | undefined, url: string | undefined): void {
    const source = url === undefined ? undefined : toSource(url.trim(), this.tools.origin);
    if (directive !== undefined && source !== undefined) this.add(directive, source);
  }

  private add(directive: string, source: string): void {
    const known = this.found.get(directive) ?? new Set();
    this.found.set(directive, known.add(source));
  }
}

function directiveOf({ rel = "", as = "" }: Attributes): string | undefined {
  const words = rel.toLowerCase().split(/\s+/);
  if (words.includes("stylesheet")) return "style-src";
  if (words.includes("modulepreload")) return "script-src";
  if (words.includes("manifest")) return "manifest-src";
  if (words.includes("preload")) return AHEAD[as.toLowerCase()];
  return words.some((word) => /icon/.test(word)) ? "img-src" : undefined;
}

/** A source that fits an address; undefined: it is the site's own, or none that is asked about. */
function toSource(url: string, origin: string | undefined): string | undefined {
  if (/^(data|blob):/i.test(url)) return url.slice(0, 5).toLowerCase();
  const absolute = /^\/\//.test(url) ? `https:${url}` : url;
  if (!/^(https?|wss?):\/\//i.test(absolute) || !URL.canParse(absolute)) return undefined;
  const { protocol, host } = new URL(absolute);
  const source = `${protocol}//${host}`;
  return source === origin ? undefined : source;
}

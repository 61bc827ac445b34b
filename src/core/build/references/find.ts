import type { Reference } from "../../model/reference.ts";
import { findCssReferences } from "./css.ts";
import { findHtmlReferences } from "./html.ts";
import { findScriptReferences } from "./javascript.ts";

/** Files whose references can be read. */
export const REFERRING = /\.(x?html?|css|m?js|cjs|webmanifest)$|(^|\/)manifest\.json$/i;

/** What a file names, by its kind; nothing for a kind that names nothing. */
export function findReferences(path: string, text: string): Reference[] {
  if (/\.x?html?$/i.test(path)) return findHtmlReferences(text);
  if (/\.css$/i.test(path)) return findCssReferences(text);
  if (/\.(m?js|cjs)$/i.test(path)) return findScriptReferences(text);
  return /(\.webmanifest|(^|\/)manifest\.json)$/i.test(path) ? findManifestReferences(text) : [];
}

interface WebManifest {
  readonly icons?: readonly { readonly src?: unknown }[];
  readonly screenshots?: readonly { readonly src?: unknown }[];
  readonly start_url?: unknown;
}

/** Icons, screenshots and the start address (W3C Web Application Manifest §1). */
function findManifestReferences(text: string): Reference[] {
  let manifest: WebManifest;
  try {
    manifest = (JSON.parse(text) ?? {}) as WebManifest;
  } catch {
    return [];
  }
  const lineOf = (url: string): number =>
    text.slice(0, Math.max(0, text.indexOf(JSON.stringify(url)))).split("\n").length;
  const images = [manifest.icons, manifest.screenshots].flatMap((list) =>
    Array.isArray(list) ? (list as unknown[]) : [],
  ) as { src?: unknown }[];
  const sources = images.map(({ src }) => src).filter((src) => typeof src === "string");
  const start =
    typeof manifest.start_url === "string"
      ? [{ kind: "link" as const, url: manifest.start_url, line: lineOf(manifest.start_url) }]
      : [];
  return [...sources.map((url) => ({ kind: "asset" as const, url, line: lineOf(url) })), ...start];
}

import type { Reference } from "../../model/reference.ts";
import { findCssReferences } from "./css.ts";
import { findHtmlReferences } from "./html.ts";
import { findScriptReferences } from "./javascript.ts";
import { createLineFinder } from "./reference.ts";

/** Files whose references can be read. */
export const REFERRING = /\.(x?html?|css|m?js|cjs|webmanifest)$|(^|\/)manifest\.json$/i;

/**
 * What a file names, by its kind; nothing for a kind that names nothing.
 * @param onCut is told where only a part of it was read
 */
export function findReferences(path: string, text: string, onCut?: () => void): Reference[] {
  if (/\.x?html?$/i.test(path)) return findHtmlReferences(text, onCut);
  if (/\.css$/i.test(path)) return findCssReferences(text);
  if (/\.(m?js|cjs)$/i.test(path)) return findScriptReferences(text);
  return /(\.webmanifest|(^|\/)manifest\.json)$/i.test(path) ? findManifestReferences(text) : [];
}

interface WebManifest {
  readonly icons?: unknown;
  readonly screenshots?: unknown;
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
  const images = [manifest.icons, manifest.screenshots]
    .flatMap((list) => (Array.isArray(list) ? (list as unknown[]) : []))
    .map((image) => (image as { src?: unknown } | null)?.src)
    .filter((src) => typeof src === "string");
  const { start_url: start } = manifest;
  const lineOf = createNameFinder(text);
  return [
    ...images.map((url) => ({ kind: "decoration" as const, url, line: lineOf(url) })),
    ...(typeof start === "string"
      ? [{ kind: "link" as const, url: start, line: createNameFinder(text)(start) }]
      : []),
  ];
}

/** Names that are written otherwise than expected, until nobody looks for more. */
const MOST_MISSED = 20;

/** Lines of names that are asked for in the order in which they stand: none is looked for twice. */
function createNameFinder(text: string): (name: string) => number {
  const lineAt = createLineFinder(text);
  let [from, missed] = [0, 0];
  return (name) => {
    const at = missed > MOST_MISSED ? -1 : text.indexOf(JSON.stringify(name), from);
    if (at < 0) missed += 1;
    else from = at;
    return lineAt(from);
  };
}

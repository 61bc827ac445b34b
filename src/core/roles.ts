import { findFingerprintNames } from "./fingerprint.ts";
import type { Role } from "./model/parcel.ts";

export interface RoleDecision {
  readonly role: Role;
  readonly reason: string;
}

export interface RoleFacts {
  readonly paths: readonly string[];
  readonly entry: string;
  /** Absent: the build has no not-found page. */
  readonly notFound?: string | undefined;
  /** Hash tokens that some other file of the build names. */
  readonly namedTokens: ReadonlySet<string>;
}

/** What each file is to a browser and a cache, by path. */
export function classifyRoles(facts: RoleFacts): Map<string, RoleDecision> {
  const present = new Set(facts.paths);
  const fingerprints = findFingerprintNames(facts.paths);
  const classify = (path: string): RoleDecision => {
    if (path === facts.entry) return { role: "entry", reason: "the entry page of the settings" };
    if (path === facts.notFound) return { role: "notFound", reason: "the not-found page" };
    if (isPolled(path)) return { role: "worker", reason: "clients ask for it again under this name" };
    if (/\.x?html?$/i.test(path)) return { role: "page", reason: "HTML" };
    const fingerprint = fingerprints.get(path);
    if (fingerprint && facts.namedTokens.has(fingerprint.token)) {
      return {
        role: "fingerprinted",
        reason: `the name carries ${fingerprint.token} (${fingerprint.shape}), and another file names it`,
      };
    }
    if (isPagePayload(path, present)) return { role: "page", reason: "data that goes with a page" };
    if (isAssetName(path)) return { role: "asset", reason: "a stable name" };
    return { role: "document", reason: "neither page nor asset" };
  };
  return new Map(facts.paths.map((path) => [path, classify(path)]));
}

const baseName = (path: string): string => path.slice(path.lastIndexOf("/") + 1);

/** Service workers, manifests and version files that clients poll under a fixed name. */
function isPolled(path: string): boolean {
  const name = baseName(path).toLowerCase();
  if (/(^|[-_.])(sw|service-?worker|safety-worker|worker-basic(\.min)?)\.m?js$/.test(name)) return true;
  if (/\.webmanifest$/.test(name) || /^(asset-|build-|site-|app-)?manifest\.json$/.test(name)) return true;
  return /^ngsw.*\.(js|json)$/.test(name) || /^(version|latest|build-info)\.json$/.test(name);
}

/** `news.txt` beside `news.html` (or in its folder), and the fixed names that site generators give such data. */
function isPagePayload(path: string, present: ReadonlySet<string>): boolean {
  const name = baseName(path);
  if (
    /^(_payload|page-data|q-data)\.(json|js)$/.test(name) ||
    /\.data$/.test(name) ||
    /^__next\..*\.txt$/.test(name)
  )
    return true;
  if (!name.endsWith(".txt")) return false;
  const stem = path.slice(0, -4);
  return present.has(`${stem}.html`) || present.has(`${stem}/index.html`);
}

const SCRIPT_OR_STYLE = /\.(m?js|cjs|css|wasm|map)(\.(br|gz))?$/i;
const IMAGE_FONT_MEDIA =
  /\.(png|jpe?g|gif|webp|avif|svg|ico|bmp|woff2?|ttf|otf|eot|mp4|webm|mov|mp3|ogg|m4a|wav|flac|vtt|glb|gltf)(\.(br|gz))?$/i;

const isAssetName = (path: string): boolean => SCRIPT_OR_STYLE.test(path) || IMAGE_FONT_MEDIA.test(path);

/** Stable scripts, styles and their maps: a new page must not meet an old one, so browsers revalidate them. */
export const isScriptOrStyle = (path: string): boolean => SCRIPT_OR_STYLE.test(path);

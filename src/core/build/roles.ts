import { findFingerprintNames, parseFingerprint } from "./fingerprint.ts";
import type { Sha256 } from "../model/names.ts";
import type { Role } from "../model/parcel.ts";

export interface RoleDecision {
  readonly role: Role;
  readonly reason: string;
}

/** A file of an earlier release. */
export interface EarlierFile {
  readonly hash: Sha256;
  readonly role: Role;
}

export interface RoleFacts {
  readonly files: readonly { readonly path: string; readonly hash: Sha256 }[];
  readonly entry: string;
  /** Absent: the build has no not-found page. */
  readonly notFound?: string | undefined;
  /** Hash tokens that some other file of the build names. */
  readonly namedTokens: ReadonlySet<string>;
  /** Files that a worker loads: clients ask for them as they do for the worker. */
  readonly loadedByWorkers: ReadonlySet<string>;
  /** What earlier releases had under each key. */
  readonly earlier: ReadonlyMap<string, EarlierFile>;
}

/** What each file is to a browser and a cache, by path. */
export function classifyRoles(facts: RoleFacts): Map<string, RoleDecision> {
  const paths = facts.files.map(({ path }) => path);
  const present = new Set(paths);
  const fingerprints = decideFingerprints(facts);
  const classify = (path: string): RoleDecision => {
    if (path === facts.entry) return { role: "entry", reason: "the entry page of the settings" };
    if (path === facts.notFound) return { role: "notFound", reason: "the not-found page" };
    if (isPolled(path)) return { role: "worker", reason: "clients ask for it again under this name" };
    if (/\.x?html?$/i.test(path)) return { role: "page", reason: "HTML" };
    const fingerprint = fingerprints.get(path);
    if (fingerprint !== undefined) return { role: "fingerprinted", reason: fingerprint };
    if (facts.loadedByWorkers.has(path))
      return { role: "worker", reason: "a worker loads it under this name" };
    if (isPagePayload(path, present)) return { role: "page", reason: "data that goes with a page" };
    if (isAssetName(path)) return { role: "asset", reason: "a stable name" };
    return { role: "document", reason: "neither page nor asset" };
  };
  return new Map(paths.map((path) => [path, classify(path)]));
}

/** How many names of a shape must be vouched for by other files before one that nobody names is believed as well. */
const NAMED_FAMILY = 5;

/** The files whose name carries a hash, with the reason to believe it. */
function decideFingerprints({ files, namedTokens, earlier }: RoleFacts): Map<string, string> {
  const names = findFingerprintNames(files.map(({ path }) => path));
  const families = new Map<string, number>();
  for (const [path, { token, shape }] of names) {
    const family = `${topFolder(path)} ${shape}`;
    if (namedTokens.has(token)) families.set(family, (families.get(family) ?? 0) + 1);
  }
  const before = new Map(
    [...earlier.keys()].flatMap((path) => (names.has(path) ? [] : [[stemOf(path), path] as const])),
  );
  const decided = new Map<string, string>();
  for (const { path, hash } of files) {
    const name = names.get(path);
    const known = earlier.get(path);
    // Bytes that changed under this name once will do so again; only what was promised to be immutable is a matter for a guard.
    if (!name || (known && known.hash !== hash && known.role !== "fingerprinted")) continue;
    const carries = `the name carries ${name.token} (${name.shape})`;
    const isLong = /^(1[6-9]|[2-9]\d) hex$/.test(name.shape);
    const renamed = before.get(stemOf(path));
    if (namedTokens.has(name.token)) decided.set(path, `${carries}, and another file names it`);
    else if (isLong && (families.get(`${topFolder(path)} ${name.shape}`) ?? 0) >= NAMED_FAMILY) {
      decided.set(path, `${carries}, as names beside it do that other files name`);
    } else if (renamed !== undefined && earlier.get(renamed)?.hash !== hash) {
      decided.set(path, `${carries}, and it changed with the content since ${renamed}`);
    }
  }
  return decided;
}

const topFolder = (path: string): string => path.slice(0, path.indexOf("/") + 1);

/** A name without its hash: the same for every version of a file. */
const stemOf = (path: string): string => {
  const token = parseFingerprint(path)?.token;
  return token === undefined ? path : path.replace(token, "*");
};

const baseName = (path: string): string => path.slice(path.lastIndexOf("/") + 1);

/** Scripts that run as service workers, by the names that they must keep. */
export const isWorkerScript = (path: string): boolean => isPolled(path) && /\.m?js$/i.test(path);

/** Service workers, manifests and version files that clients poll under a fixed name. */
export function isPolled(path: string): boolean {
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

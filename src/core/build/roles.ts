import { isPolled } from "../model/polled.ts";
import type { ObjectKey, Sha256 } from "../model/names.ts";
import { type Role, isScriptOrStyle } from "../model/role.ts";
import type { FingerprintName, RoleReason } from "../model/reasons.ts";
import { decideFingerprints } from "./fingerprints/decide.ts";

export interface RoleDecision {
  readonly role: Role;
  readonly reason: RoleReason;
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
  /** What the files' names show of hashes, by path. */
  readonly names: ReadonlyMap<ObjectKey, FingerprintName>;
  /** Hash tokens that some other file of the build names, each with the first such file. */
  readonly namedTokens: ReadonlyMap<string, ObjectKey>;
  /** Service workers, by their name or since a page registers them. */
  readonly workers: ReadonlySet<string>;
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
    if (path === facts.entry) return decide("entry", "entry");
    if (path === facts.notFound) return decide("notFound", "not-found");
    if (isPolled(path)) return decide("worker", "polled");
    if (/\.x?html?$/i.test(path)) return decide("page", "html");
    const fingerprint = fingerprints.get(path);
    if (fingerprint !== undefined) return { role: "fingerprinted", reason: fingerprint };
    if (facts.workers.has(path)) return decide("worker", "registered");
    if (facts.loadedByWorkers.has(path)) return decide("worker", "worker-part");
    if (isPagePayload(path, present)) return decide("page", "payload");
    if (isAssetName(path)) return decide("asset", "stable");
    return decide("document", "other");
  };
  return new Map(paths.map((path) => [path, classify(path)]));
}

type PlainReason = Exclude<RoleReason, { code: "fingerprint" | "alias" | "redirect" | "recorded" }>["code"];

const decide = (role: Role, code: PlainReason): RoleDecision => ({ role, reason: { code } });

const baseName = (path: string): string => path.slice(path.lastIndexOf("/") + 1);

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

const IMAGE_FONT_MEDIA =
  /\.(png|jpe?g|gif|webp|avif|svg|ico|bmp|woff2?|ttf|otf|eot|mp4|webm|mov|mp3|ogg|m4a|wav|flac|vtt|glb|gltf)(\.(br|gz))?$/i;

const isAssetName = (path: string): boolean => isScriptOrStyle(path) || IMAGE_FONT_MEDIA.test(path);

import { createHash, hash as hashOnce } from "node:crypto";
import { closeSync, openSync, readFileSync, readSync } from "node:fs";
import { join } from "node:path";
import type { Build } from "../core/model/build.ts";
import { isTypedByName } from "../core/build/content-type.ts";
import { findFingerprintNames } from "../core/build/fingerprints/find.ts";
import { createTokenFinder } from "../core/build/fingerprints/mentions.ts";
import { findReferences, REFERRING } from "../core/build/references/find.ts";
import { findSecrets } from "../core/build/secrets.ts";
import type { Sha256 } from "../core/model/names.ts";
import type { CachedFile, HashCache } from "./hash-cache.ts";
import type { Scan, ScannedFile } from "./scan-build.ts";
import { toUnreadable } from "./unreadable.ts";

/** Above this size a file is never wholly in memory. */
export const WHOLE_BYTES = 8 * 1024 * 1024;
const HEAD_BYTES = 512;
const NO_BYTES = new Uint8Array();
const TEXT = /\.(html?|xhtml|js|mjs|cjs|css|json|webmanifest|xml|txt|svg|data)$/i;

/** Reads every file once, or takes what a cache knows of it: hash, first bytes, what it names, what it should not hold. */
export function hashBuild(folder: string, { files, withheld, special }: Scan, cache?: HashCache): Build {
  const names = findFingerprintNames(files.map(({ path }) => path));
  const shown = [...names.values()].filter(({ strength }) => strength === "shown");
  const tokens = new Set(shown.map(({ token }) => token));
  const lookedFor = hashOnce("sha256", [...tokens].sort().join("\n"));
  const findTokens = createTokenFinder(tokens);
  let isNew = false as boolean;
  const hashed = files.map((file): CachedFile => {
    const cached = cache?.find(file, lookedFor);
    isNew ||= cached === undefined;
    return (
      cached ?? (file.size > WHOLE_BYTES ? hashLarge(folder, file) : hashSmall(folder, file, findTokens))
    );
  });
  if (isNew) cache?.save(hashed, files, lookedFor);
  const namedTokens = new Map<string, string>();
  for (const { path, mentions } of hashed)
    for (const token of mentions)
      if (token !== names.get(path)?.token && !namedTokens.has(token)) namedTokens.set(token, path);
  return { folder, files: hashed, names, namedTokens, withheld, special };
}

function hashSmall(
  folder: string,
  { path, place }: ScannedFile,
  findTokens: (text: string) => string[],
): CachedFile {
  const bytes = readBuildFile(place ?? join(folder, path), path);
  const text = TEXT.test(path) ? bytes.toString("utf8") : undefined;
  let isCut = false as boolean;
  const references =
    text !== undefined && REFERRING.test(path) ? findReferences(path, text, () => (isCut = true)) : [];
  return {
    path,
    size: bytes.length,
    hash: hashOnce("sha256", bytes),
    head: isTypedByName(path) ? NO_BYTES : Uint8Array.from(bytes.subarray(0, HEAD_BYTES)),
    references,
    ...(isCut ? { unread: "deep" } : {}),
    secrets: findSecrets(text ?? bytes.toString("latin1", 0, HEAD_BYTES)),
    mentions: text === undefined ? [] : findTokens(text),
  };
}

/** A file of the build in memory. Throws `build-changed` when it is gone, `build-unreadable`. */
export function readBuildFile(place: string, path: string): Buffer {
  try {
    return readFileSync(place);
  } catch (error) {
    throw toUnreadable(path, error);
  }
}

function openBuildFile(place: string, path: string): number {
  try {
    return openSync(place, "r");
  } catch (error) {
    throw toUnreadable(path, error);
  }
}

function hashLarge(folder: string, { path, place }: ScannedFile): CachedFile {
  const file = openBuildFile(place ?? join(folder, path), path);
  try {
    const sum = createHash("sha256");
    const buffer = Buffer.allocUnsafe(1024 * 1024);
    let head: Uint8Array | undefined;
    let size = 0;
    for (let count = readSync(file, buffer); count > 0; count = readSync(file, buffer)) {
      const chunk = buffer.subarray(0, count);
      head ??= Uint8Array.from(chunk.subarray(0, HEAD_BYTES));
      sum.update(chunk);
      size += count;
    }
    return {
      path,
      size,
      hash: sum.digest("hex"),
      head: head ?? new Uint8Array(),
      references: [],
      secrets: [],
      mentions: [],
      ...(TEXT.test(path) ? { unread: "large" } : {}),
    };
  } finally {
    closeSync(file);
  }
}

/** SHA-256 of a whole stream. */
export async function hashStream(body: AsyncIterable<Uint8Array>): Promise<Sha256> {
  const sum = createHash("sha256");
  for await (const chunk of body) sum.update(chunk);
  return sum.digest("hex");
}

import { createHash } from "node:crypto";
import { join } from "node:path";
import { setImmediate } from "node:timers/promises";
import type { Build, BuildFile } from "../core/model/build.ts";
import { findFingerprintNames } from "../core/build/fingerprints/find.ts";
import { createTokenFinder, createWordReader, shapesOf } from "../core/build/fingerprints/mentions.ts";
import type { Sha256 } from "../core/model/names.ts";
import { toContentId, type ContentFacts } from "./content-facts.ts";
import { ContentTable } from "./content-table.ts";
import type { HashCache, HashedFile } from "./hash-cache.ts";
import { readFile, WHOLE_BYTES, type FileToRead, type FindFacts } from "./read-file.ts";
import { SharedFiles, startHelpers, type StartHelpers } from "./reading-helpers.ts";
import type { Scan } from "./scan-build.ts";

/** Reading stops for others that wait (the list of the destination, say) after so many milliseconds. */
const TURN_MS = 5;

/** Reads every file once, or takes what a cache knows of it: hash, first bytes, what it names, what it should not hold. */
export async function hashBuild(
  folder: string,
  { files, withheld, special }: Scan,
  cache?: HashCache,
  start: StartHelpers = startHelpers,
): Promise<Build> {
  const names = findFingerprintNames(files.map(({ path }) => path));
  const shown = [...names.values()].filter(({ strength }) => strength === "shown");
  const tokens = new Set(shown.map(({ token }) => token));
  const shapes = shapesOf(tokens);
  const contents = cache?.openContents(shapes) ?? new ContentTable(shapes);
  const hashes = new Map<string, HashedFile>();
  const toRead: FileToRead[] = [];
  for (const file of files) {
    const { path, size, place = join(folder, path) } = file;
    const kept = cache?.findFile(file);
    if (kept && contents.has(toContentId(path, kept.hash))) hashes.set(path, kept);
    else toRead.push({ path, place, size });
  }
  for await (const read of readAll(toRead, contents, start)) hashes.set(read.path, read);
  const findTokens = createTokenFinder(tokens);
  const namedTokens = new Map<string, string>();
  // Field by field: what a rest or a spread makes takes four times the memory.
  const hashed = files.map(({ path }): BuildFile => {
    const { size, hash } = hashes.get(path) as HashedFile;
    const facts = contents.find(toContentId(path, hash)) as ContentFacts;
    const { head, references, secrets, unread, words } = facts;
    for (const token of findTokens(words))
      if (token !== names.get(path)?.token && !namedTokens.has(token)) namedTokens.set(token, path);
    return { path, size, hash, head, references, secrets, unread };
  });
  if (toRead.length > 0) cache?.save(hashed, files, contents);
  return { folder, files: hashed, names, namedTokens, withheld, special };
}

/**
 * Reads files, with the help of other threads where there is much to read. What a content says is read only where nobody
 * knows it yet, and stands in `contents` then. Throws `build-changed`, `build-unreadable`.
 */
async function* readAll(
  files: readonly FileToRead[],
  contents: ContentTable,
  start: StartHelpers,
): AsyncGenerator<HashedFile> {
  const readWords = createWordReader(contents.shapes);
  const read = (file: FileToRead): HashedFile => {
    const find: FindFacts = (hash, readFacts) => {
      const id = toContentId(file.path, hash);
      if (!contents.has(id)) contents.add(id, readFacts());
      return undefined;
    };
    const { size, hash } = readFile(file, readWords, find);
    return { path: file.path, size, hash };
  };
  const shared = new SharedFiles(files);
  // Where much is known already most files need no more than a hash: of small ones that costs less than asking for it.
  const readsContents = contents.isEmpty();
  const bytes = files
    .filter(({ size }) => readsContents || size > WHOLE_BYTES)
    .reduce((sum, { size }) => sum + size, 0);
  const helpers = start({ shapes: contents.shapes, readsContents }, bytes);
  try {
    const helped = Promise.all(helpers.map((helper) => shared.share(helper)));
    let begun = performance.now();
    let own = 0;
    for (let place = shared.takeFirst(); place !== undefined; place = shared.takeFirst()) {
      own = place + 1;
      yield read(files[place] as FileToRead);
      if (performance.now() - begun < TURN_MS) continue;
      await setImmediate();
      begun = performance.now();
    }
    await helped;
    for (let place = own; place < files.length; place++) {
      const [file, answer] = [files[place] as FileToRead, shared.answerAt(place)];
      const id = answer && toContentId(file.path, answer.hash);
      if (answer?.facts && id !== undefined && !contents.has(id)) contents.add(id, answer.facts);
      const isKnown = id !== undefined && contents.has(id);
      yield answer && isKnown ? { path: file.path, size: answer.size, hash: answer.hash } : read(file);
    }
  } finally {
    for (const helper of helpers) helper.end();
  }
}

/** SHA-256 of a whole stream. */
export async function hashStream(body: AsyncIterable<Uint8Array>): Promise<Sha256> {
  const sum = createHash("sha256");
  for await (const chunk of body) sum.update(chunk);
  return sum.digest("hex");
}

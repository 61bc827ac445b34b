import type { Reference } from "../core/model/reference.ts";
import type { Secret, UnreadText } from "../core/model/problem.ts";
import type { Sha256 } from "../core/model/names.ts";
import { isTypedByName } from "../core/build/content-type.ts";
import { findReferences, REFERRING } from "../core/build/references/find.ts";
import { findSecrets } from "../core/build/secrets.ts";

/** What is known of a content, whatever file it stands in. It never changes, so it is read once. */
export interface ContentFacts {
  /** First bytes, where the file's name does not tell its type. */
  readonly head: Uint8Array;
  readonly references: readonly Reference[];
  readonly secrets: readonly Secret[];
  readonly unread?: UnreadText | undefined;
  /** Its words that may be hashes in file names, as sums. */
  readonly words: Float64Array;
}

const HEAD_BYTES = 512;
const NO_BYTES = new Uint8Array();
const NO_WORDS = new Float64Array();
const TEXT = /\.(html?|xhtml|js|mjs|cjs|css|json|webmanifest|xml|txt|svg|data)$/i;

/** A content as it is known by: one may stand under names that are read differently. */
export const toContentId = (path: string, hash: Sha256): string => `${readingOf(path)} ${hash}`;

/** How a file is read, by its name: its ending where that makes a difference. */
function readingOf(path: string): string {
  if (REFERRING.test(path)) return /manifest\.json$/i.test(path) ? "webmanifest" : endingOf(path);
  if (TEXT.test(path)) return "text";
  return isTypedByName(path) ? "" : "untyped";
}

const endingOf = (path: string): string => path.slice(path.lastIndexOf(".") + 1).toLowerCase();

/** Reads a content that is wholly in memory. */
export function readContent(
  path: string,
  bytes: Buffer,
  readWords: (bytes: Uint8Array) => Float64Array,
): ContentFacts {
  const isText = TEXT.test(path);
  const text = isText ? bytes.toString("utf8") : undefined;
  let isCut = false as boolean;
  const references =
    text !== undefined && REFERRING.test(path) ? findReferences(path, text, () => (isCut = true)) : [];
  return {
    references,
    head: headOf(path, bytes),
    ...(isCut ? { unread: "deep" } : {}),
    secrets: findSecrets(text ?? bytes.toString("latin1", 0, HEAD_BYTES)),
    words: isText ? readWords(bytes) : NO_WORDS,
  };
}

/** Of a content that is too large to be held only the first bytes are looked at. */
export const readLargeContent = (path: string, start: Uint8Array): ContentFacts => ({
  ...{ head: start.slice(0, HEAD_BYTES), references: [], secrets: [], words: NO_WORDS },
  ...(TEXT.test(path) ? { unread: "large" as const } : {}),
});

const headOf = (path: string, bytes: Uint8Array): Uint8Array =>
  isTypedByName(path) ? NO_BYTES : Uint8Array.from(bytes.subarray(0, HEAD_BYTES));

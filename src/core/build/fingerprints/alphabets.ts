import type { HashShape } from "../../model/reasons.ts";

/** An alphabet that bundlers write hashes in. */
export interface Alphabet {
  readonly name: Exclude<HashShape["alphabet"], "folder">;
  readonly letters: RegExp;
  /** What is all letters or all digits of it, or of a smaller alphabet: people write such, too. */
  readonly plain: RegExp;
  readonly size: number;
  /** −ln: how seldom bundlers choose it. */
  readonly cost: number;
  /** Lengths that bundlers are known to cut their hashes to. */
  readonly lengths: ReadonlySet<number>;
}

/** Hexadecimal and base32 (RFC 4648 §6, §8), small letters and digits, and base64 for URLs (RFC 4648 §5). */
export const ALPHABETS: readonly Alphabet[] = [
  {
    name: "hex",
    letters: /^[0-9a-f]+$/,
    plain: /^(\d+|[a-z]+)$/,
    size: 16,
    cost: 1,
    lengths: new Set([8, 16, 20, 32, 40, 64, 96, 128]),
  },
  {
    name: "base32",
    letters: /^[A-Z2-7]+$/,
    plain: /^(\d+|[A-Z]+)$/,
    size: 32,
    cost: 1.5,
    lengths: new Set([8]),
  },
  {
    name: "base36",
    letters: /^[a-z0-9_-]+$/,
    plain: /^([\d_-]+|[a-z_-]+)$/,
    size: 38,
    cost: 3,
    lengths: new Set([13]),
  },
  {
    name: "base64url",
    letters: /^[A-Za-z0-9_-]+$/,
    plain: /^([^A-Z]+|[^a-z]+)$/,
    size: 64,
    cost: 1.5,
    lengths: new Set([8, 10]),
  },
];

/** What one letter of an alphabet says. */
export const bitsOf = (name: Alphabet["name"]): number =>
  Math.log2(ALPHABETS.find((alphabet) => alphabet.name === name)?.size ?? 1);

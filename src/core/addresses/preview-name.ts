import type { Sha256 } from "../model/names.ts";

/** What stands for the name of a preview in a prefix and in an address. */
const NAME_MARK = "{name}";

/** RFC 1035 §2.3.4: a label of a host name has no more letters. */
const MOST_LETTERS = 63;
/** Letters of the hash that tells two names apart which would come to the same. */
const HASH_LETTERS = 6;

/**
 * A name that may stand in a host name (RFC 1123 §2.1: letters, digits and hyphens), out of any: a branch, say. One that is
 * fit already stays as it is. Every other one ends with some letters of its own hash, so that `a/b` and `a-b` stay apart.
 * @param most letters that there is room for
 * @param hash SHA-256 of a text, in hexadecimal digits
 */
export function toPreviewName(name: string, most: number, hash: (text: string) => Sha256): string {
  const plain = name
    .normalize("NFKD")
    .replace(/\p{M}/gu, "")
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-");
  const fit = plain.replace(/^-+|-+$/g, "");
  if (fit === name && fit.length <= most && fit !== "") return fit;
  const room = most - HASH_LETTERS - 1;
  const short = fit.slice(0, Math.max(0, room)).replace(/-+$/, "");
  return [short, hash(name).slice(0, HASH_LETTERS)].filter((part) => part !== "").join("-");
}

/** Whether `toPreviewName` may have made it. */
export const isPreviewName = (label: string): boolean =>
  label.length <= MOST_LETTERS && /^[a-z0-9]+(-+[a-z0-9]+)*$/.test(label);

/** How many letters a preview's name may have: what stands beside it in its part of the host name takes some of the room. */
export function mostNameLetters(address: string | undefined): number {
  const host = /^https?:\/\/([^/:]*)/.exec(address ?? "")?.[1] ?? "";
  const label = host.split(".").find((part) => part.includes(NAME_MARK)) ?? NAME_MARK;
  return MOST_LETTERS - (label.length - NAME_MARK.length);
}

/** A prefix or an address with the name in it. */
export const fillInName = (template: string, name: string): string => template.replaceAll(NAME_MARK, name);

/** What all previews' keys begin with. */
export const headOf = (prefix: string): string => prefix.slice(0, prefix.indexOf(NAME_MARK));

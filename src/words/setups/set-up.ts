/** What a person puts in where the token belongs: the tool prints no secret. */
export const TOKEN = "${EDGE_TOKEN}";

/** What no cache of a kind can do with an origin, so that somebody else must. */
export type LeftToOthers = "missing-pages" | "compression";

/** The files of a set-up, as they are written. */
export interface PrintedSetup {
  readonly files: readonly { readonly path: string; readonly text: string }[];
  readonly left: readonly LeftToOthers[];
}

/** A text that a regular expression finds just as it stands (PCRE, and the extended ones of POSIX). */
export const toPattern = (text: string): string => text.replace(/[\\^$.|?*+()[\]{}]/g, "\\$&");

/** Lines of a file; what is undefined is left out. */
export const toLines = (...lines: readonly (string | readonly string[] | undefined | false)[]): string =>
  `${lines
    .flat()
    .filter((line) => line !== undefined && line !== false)
    .join("\n")}\n`;

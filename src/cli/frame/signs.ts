/** Signs that are not letters, so that no output needs a screen that can show them. */
export interface Signs {
  /** From one place to the next. */
  readonly to: string;
  /** Something was left out here. */
  readonly more: string;
  /** A way that is open, and one that is cut. */
  readonly way: string;
  readonly cut: string;
  /** Parts of a bar: done, to be done. */
  readonly done: string;
  readonly open: string;
}

const FULL: Signs = { to: "→", more: "…", way: "──", cut: "──╳", done: "━", open: "─" };
const PLAIN: Signs = { to: "->", more: "...", way: "--", cut: "--x", done: "#", open: "-" };

/**
 * The signs that a screen can show. The first of the three variables that is set says how letters are written (POSIX.1-2017,
 * XBD 8.2); where none is, UTF-8 is taken for granted, as in most containers.
 */
export function signsFor({ LC_ALL, LC_CTYPE, LANG }: NodeJS.ProcessEnv): Signs {
  const locale = [LC_ALL, LC_CTYPE, LANG].find((value) => value !== undefined && value !== "");
  return locale === undefined || /utf-?8/i.test(locale) ? FULL : PLAIN;
}

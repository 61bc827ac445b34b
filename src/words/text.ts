/** Where a problem is, as it stands before its message: `index.html:10: `. */
export const placeOf = ({ path, line }: { path?: string | undefined; line?: number | undefined }): string =>
  path === undefined ? "" : `${path}${line === undefined ? "" : `:${line}`}: `;

/** A list for people: cut with a count, never silently. */
export function listed(items: readonly string[], most = 5): string {
  const shown = items.slice(0, most).join(", ");
  return items.length > most ? `${shown} and ${items.length - most} more` : shown;
}

/** A whole number by thousands: 1,200. The platform's own grouping takes 17 ms to load. */
export const grouped = (count: number): string => String(count).replace(/\B(?=(?:\d{3})+$)/g, ",");

/** A whole number with its noun: 1 file, 1,200 files. */
export const counted = (count: number, one: string, more = `${one}s`): string =>
  `${grouped(count)} ${count === 1 ? one : more}`;

/** Puts names into a text, where they stand in braces; one without a value is left out. */
export const fillIn = (text: string, names: Readonly<Record<string, unknown>>): string =>
  text.replace(/\{([a-z-]+)\}/g, (_, name: string) => {
    const told = names[name];
    return typeof told === "string" || typeof told === "number" ? String(told) : "";
  });

/** Line breaks, and what terminals and log readers take for one. */
const BREAKS = /\r\n|[\n\v\f\r\u0085\u2028\u2029]/g;

/** A value from outside as one line: what would begin a new one is shown as `\n`. */
export const oneLine = (text: string): string => text.replace(BREAKS, "\\n");

/** The same for everything that data holds: put into a text of several lines, no value adds one. */
export function oneLined(value: unknown): unknown {
  if (typeof value === "string") return oneLine(value);
  if (Array.isArray(value)) return value.map(oneLined);
  if (value === null || typeof value !== "object" || Object.getPrototypeOf(value) !== Object.prototype)
    return value;
  return Object.fromEntries(Object.entries(value).map(([name, held]) => [name, oneLined(held)]));
}

/** Where a problem is, as it stands before its message: `index.html:10: `. */
export const placeOf = ({ path, line }: { path?: string | undefined; line?: number | undefined }): string =>
  path === undefined ? "" : `${path}${line === undefined ? "" : `:${line}`}: `;

/** A list for people: cut with a count, never silently. */
export function listed(items: readonly string[], most = 5): string {
  const shown = items.slice(0, most).join(", ");
  return items.length > most ? `${shown} and ${items.length - most} more` : shown;
}

/** A number with its noun: 1 file, 1,200 files. */
export const counted = (count: number, one: string, more = `${one}s`): string =>
  `${count.toLocaleString("en-GB")} ${count === 1 ? one : more}`;

/** Puts names into a text, where they stand in braces; one without a value is left out. */
export const fillIn = (text: string, names: Readonly<Record<string, unknown>>): string =>
  text.replace(/\{([a-z-]+)\}/g, (_, name: string) => {
    const told = names[name];
    return typeof told === "string" || typeof told === "number" ? String(told) : "";
  });

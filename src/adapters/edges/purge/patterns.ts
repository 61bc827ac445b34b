const escape = (text: string): string => text.replace(/[\\^$.|?+(){}[\]*]/g, "\\$&");

/** A regular expression for everything that begins as a wildcard pattern does. */
export const toBanExpression = (pattern: string): string => `^${escape(pattern.slice(0, -1))}`;

/** Fits the same addresses, but differs from all other expressions: the mark at its end is looked for no times. */
export const makeUnique = (expression: string, mark: string): string => `${expression}(?:${mark}){0}`;

/** A regular expression for one address, with whatever query. */
export const toExactExpression = (address: string): string => `^${escape(address)}($|\\?)`;

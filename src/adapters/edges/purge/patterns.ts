const escape = (text: string): string => text.replace(/[\\^$.|?+(){}[\]*]/g, "\\$&");

/** A regular expression for everything that begins as a wildcard pattern does. */
export const toBanExpression = (pattern: string): string => `^${escape(pattern.slice(0, -1))}`;

/** The same expression, told apart from all others by something that fits nowhere and needn't. */
export const makeUnique = (expression: string, mark: string): string => `${expression}(?:${mark}){0}`;

/** A regular expression for one address, with whatever query. */
export const toExactExpression = (address: string): string => `^${escape(address)}($|\\?)`;

// Stands in the bundle for two packages with which the parser of arguments would lay out a help that nobody sees.
const sheet = { div: () => {}, span: () => {}, resetOutput: () => {}, toString: () => "" };

/** @returns the length of a text; a sheet that takes everything and shows nothing */
export default function noLayout(text) {
  return typeof text === "string" ? text.length : sheet;
}

/** What `generate.mjs` makes pages and schemas from. */
export { toJsonSchema } from "../src/settings/load.ts";
export { EXITS } from "../src/words/exits.ts";
export { FAILURES } from "../src/words/failures.ts";

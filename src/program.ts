/** All of the tool, for those who start it: `main.ts` as a program, `package-entry.ts` as a library. */
export { COMMANDS, run } from "./cli/run.ts";
export * as library from "./library/index.ts";

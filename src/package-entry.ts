import { runKept } from "./kept-code.ts";

/** What scripts import: the steps of the program beside it. Nothing is kept of what is compiled for them. */
const { library } = runKept<typeof import("./program.ts")>(
  new URL("./program.cjs", import.meta.url),
  undefined,
  [],
).exports;

export const { CourierError, survey, compare, deliver, verify, redeliver } = library;

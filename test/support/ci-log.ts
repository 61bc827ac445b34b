import type { Outcome } from "./program.ts";

/** What CI services take for a command of theirs, and a line that is none of ours. */
const ORDER = /^\s*::|^\s*foreign|##(vso|teamcity)?\[|\u001b\[0Ksection_/m;
/** What the tool itself tells a service. */
const OWN = /^::(group::[^\n]*|endgroup::|(error|warning) [^\n]*title=Restless Courier::[^\n]*)\n/gm;
const OWN_SECTION =
  /^(\u001b\[0Ksection_end:\d+:courier_\w*\r\u001b\[0K)?(\u001b\[0Ksection_start:\d+:courier_[^\n]*\n)?/gm;

/** Lines of an output that a CI service would carry out, or that begin with somebody else's words. */
export const findForeignLines = ({ stdout, stderr }: Pick<Outcome, "stdout" | "stderr">): string[] =>
  `${stdout}\n${stderr}`
    .replace(OWN, "")
    .replace(OWN_SECTION, "")
    .split("\n")
    .filter((line) => ORDER.test(line));

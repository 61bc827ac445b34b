import type { ProvisionResult } from "../../results/provision.ts";
import { wrap } from "../frame/wrap.ts";
import { clean, type Style, type Terminal } from "../frame/terminal.ts";

/** `provision`, as a person reads it: before the question, and after. */
export function showProvision(result: ProvisionResult, { style, columns }: Terminal): string {
  const { site, destination, bucket, endpoint, dryRun, steps, byHand, checked } = result;
  const isReady = steps.length === 0 && byHand.length === 0;
  const lines = [
    `${style("strong", clean(`${site}, ${destination}`))}: ${clean(bucket)} at ${clean(endpoint)}`,
    "",
    ...(isReady ? [`  ${style("good", "ready:")} nothing has to be changed`] : []),
    ...(steps.length === 0 ? [] : [`  ${style("strong", dryRun ? "to be changed" : "changed")}`]),
    ...steps.flatMap(({ what, why }) => [
      ...toWhat(what, columns),
      ...wrap(clean(why), columns - 6).map((line) => `      ${style("faint", line)}`),
    ]),
    ...(byHand.length === 0 ? [] : [`  ${style("warn", "left to you")}`]),
    ...byHand.flatMap((one) => toLines(one, style, columns)),
    ...(checked.length === 0 ? [] : [`  ${style("strong", "tried")}`]),
    ...checked.map((what) => `    ${clean(what)}`),
  ];
  return `${lines.join("\n")}\n${steps.length > 0 && dryRun ? "\n" : ""}`;
}

/** Its first line begins further to the left than the rest of it. */
const toWhat = (what: string, columns: number): string[] =>
  wrap(clean(what), columns - 6).map((line, index) => `${index === 0 ? "    " : "      "}${line}`);

const toLines = (
  { what, why, how }: ProvisionResult["byHand"][number],
  style: Style,
  columns: number,
): string[] => [
  ...toWhat(what, columns),
  ...wrap(clean(why), columns - 6).map((line) => `      ${style("faint", line)}`),
  ...wrap(clean(how), columns - 11).map(
    (line, index) => `      ${index === 0 ? `${style("strong", "how:")} ` : "     "}${line}`,
  ),
];

import type { ProvisionResult } from "../../results/provision.ts";
import { wrap } from "../frame/wrap.ts";
import { counted } from "../../words/text.ts";
import { toHead, toNext, type Sheet } from "../frame/sheet.ts";
import { clean, type Style } from "../frame/terminal.ts";

/** `provision`, as a person reads it: before the question, and after. @param next the call that comes then */
export function showProvision(result: ProvisionResult, sheet: Sheet, next?: string): string {
  const { style, columns } = sheet;
  const { site, destination, bucket, endpoint, dryRun, steps, byHand, checked } = result;
  const isReady = steps.length === 0 && byHand.length === 0;
  const place = `${clean(bucket)} at ${clean(endpoint)}`;
  const changes = counted(steps.length, "change");
  const verdict = isReady
    ? `the bucket ${place} is ready: nothing has to be changed.`
    : steps.length === 0
      ? `the bucket ${place} needs something that only you can do.`
      : dryRun
        ? `${changes} would make ${place} ready. Nothing was changed yet.`
        : `${changes} made ${place} ready.`;
  const lines = [
    toHead(sheet, [site, destination], verdict, isReady ? "good" : undefined),
    ...(steps.length === 0 ? [] : [`  ${style("strong", dryRun ? "to be changed" : "changed")}`]),
    ...steps.flatMap(({ what, why }) => [
      ...toWhat(what, columns),
      ...wrap(clean(why), columns - 6).map((line) => `      ${style("faint", line)}`),
    ]),
    ...(byHand.length === 0 ? [] : [`  ${style("warn", "left to you")}`]),
    ...byHand.flatMap((one) => toLines(one, style, columns)),
    ...(checked.length === 0 ? [] : [`  ${style("strong", "tested")}`]),
    ...checked.map((what) => `    ${clean(what)}`),
  ];
  return `${lines.join("\n")}\n${steps.length > 0 && dryRun ? "\n" : ""}${next === undefined || dryRun ? "" : toNext(sheet, next)}`;
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

import type { Element } from "hast";
import { placeOf } from "../../words/text.ts";
import { drawSection } from "../grid.ts";
import { h } from "../html.ts";
import type { ProblemResult } from "../../results/problem.ts";
import type { Report } from "../../results/report.ts";

const MOST = 300;
const ORDER: Readonly<Record<string, number>> = { error: 0, warning: 1, note: 2 };

/** What is wrong with the build, with its places. */
export function drawProblems({ problems }: Report): Element | undefined {
  if (!problems) return undefined;
  const sorted = [...problems].sort((a, b) => (ORDER[a.severity] ?? 9) - (ORDER[b.severity] ?? 9));
  const left = sorted.length - MOST;
  return drawSection(
    "problems",
    "Problems of the build",
    sorted.length === 0
      ? h("p", { className: ["about"] }, "None were found.")
      : h("ul", { className: ["problems"] }, ...sorted.slice(0, MOST).map(drawProblem)),
    left > 0 ? h("p", { className: ["about"] }, `and ${left} more`) : undefined,
  );
}

function drawProblem(problem: ProblemResult): Element {
  const { severity, message, hint } = problem;
  const place = placeOf(problem);
  return h(
    "li",
    { className: [severity] },
    h("b", {}, severity),
    " ",
    place === "" ? undefined : h("code", {}, place),
    message,
    hint === undefined ? undefined : h("div", { className: ["hint"] }, hint),
  );
}

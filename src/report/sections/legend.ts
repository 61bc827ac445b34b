import type { Element } from "hast";
import { FATES } from "../../core/picture/picture.ts";
import { FATE_MEANINGS, FATE_NAMES } from "../../words/picture.ts";
import { grouped } from "../../words/text.ts";
import { h } from "../html.ts";
import type { Report } from "../../results/report.ts";

/** What the colours mean, with counts; each is a switch that leaves only its files in the table and bright on the map. */
export function drawLegend({ files }: Report): Element {
  const counts = new Map<string, number>();
  for (const { fate } of files) counts.set(fate, (counts.get(fate) ?? 0) + 1);
  const there = FATES.filter((fate) => counts.has(fate));
  return h(
    "ul",
    { className: ["legend"], ariaLabel: "What happens to files" },
    ...there.map((fate) =>
      h(
        "li",
        {},
        h(
          "button",
          {
            type: "button",
            className: ["fate", fate],
            dataFate: fate,
            ariaPressed: "false",
            title: FATE_MEANINGS[fate],
          },
          h("i", { ariaHidden: "true" }),
          `${FATE_NAMES[fate]} `,
          h("b", {}, grouped(counts.get(fate) ?? 0)),
        ),
      ),
    ),
  );
}

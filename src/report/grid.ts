import type { Element } from "hast";
import { h, s, type Inside } from "./html.ts";

interface GridColumn {
  readonly name: string;
  readonly isNumber?: boolean;
  /** Its name is for those only who don't see what is drawn in it. */
  readonly isDrawn?: boolean;
}

interface GridFacts {
  readonly columns: readonly GridColumn[];
  readonly rows: readonly Element[];
  readonly foot?: Element;
  readonly className?: string;
}

/** A table. */
export const drawGrid = ({ columns, rows, foot, className }: GridFacts): Element =>
  h(
    "table",
    { className: className === undefined ? [] : [className] },
    h("thead", {}, h("tr", {}, ...columns.map(drawColumn))),
    h("tbody", {}, ...rows),
    foot && h("tfoot", {}, foot),
  );

const drawColumn = ({ name, isNumber = false, isDrawn = false }: GridColumn): Element =>
  h(
    "th",
    { scope: "col", className: isNumber ? ["number"] : [] },
    isDrawn ? h("span", { className: ["hidden"] }, name) : name,
  );

/** What is wider than a phone, and moves within its own edges. @param label the id of its heading, or a text */
export const drawScroll = (
  label: { readonly by: string } | { readonly text: string },
  inside: Element,
): Element =>
  h(
    "div",
    {
      ...{ className: ["scroll"], tabIndex: 0, role: "region" },
      ...("by" in label ? { ariaLabelledBy: label.by } : { ariaLabel: label.text }),
    },
    inside,
  );

/** A number, at the right of its cell. */
export const drawNumber = (inside: Inside): Element => h("td", { className: ["number"] }, inside);

/** A part of the page with its heading. */
export const drawSection = (id: string, title: string, ...inside: readonly Inside[]): Element =>
  h("section", { id, ariaLabelledBy: `${id}-title` }, h("h2", { id: `${id}-title` }, title), ...inside);

interface Bar {
  readonly className: readonly string[];
  readonly x?: number;
  readonly y?: number;
  readonly width: number;
  readonly height: number;
  readonly title?: string;
}

/** Bars in a box as wide as there is room; whoever can't see them finds the numbers beside them. */
export const drawBars = (width: number, height: number, bars: readonly Bar[]): Element =>
  s(
    "svg",
    {
      viewBox: `0 0 ${width} ${height}`,
      preserveAspectRatio: "none",
      ariaHidden: "true",
      focusable: "false",
    },
    ...bars.map(({ className, x = 0, y = 0, title, ...box }) =>
      s(
        "rect",
        { className: [...className], x, y, ...box },
        title === undefined ? undefined : s("title", {}, title),
      ),
    ),
  );

/** A chart, which keeps its size on phones and moves within its own edges. */
export const drawChartBox = (text: string, chart: Element): Element => drawScroll({ text }, chart);

/** What the colours of a chart mean. */
export const drawKey = (
  parts: readonly { readonly className: readonly string[]; readonly words: string }[],
): Element =>
  h(
    "figcaption",
    {},
    h(
      "ul",
      { className: ["key"] },
      ...parts.map(({ className, words }) =>
        h("li", {}, h("i", { className: [...className], ariaHidden: "true" }), words),
      ),
    ),
  );

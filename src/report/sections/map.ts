import type { Element } from "hast";
import { hierarchy, treemap, treemapSquarify, type HierarchyRectangularNode } from "d3-hierarchy";
import { toFolders, type Node } from "../../core/picture/folders.ts";
import { isOfBuild } from "../../core/picture/weights.ts";
import { FATE_NAMES } from "../../words/picture.ts";
import { showBytes } from "../../words/numbers.ts";
import { counted } from "../../words/text.ts";
import { h, s } from "../html.ts";
import type { Report } from "../../results/report.ts";

/** Pixels that the smallest cell covers. */
const LEAST_AREA = 90;
const LABEL_PX = 12;
/** The mean width of a letter of that size. */
const LETTER_PX = 6.4;

interface Form {
  readonly name: "wide" | "tall";
  readonly width: number;
  readonly height: number;
}

/** One for desks and paper, one for phones. */
const FORMS: readonly Form[] = [
  { name: "wide", width: 1140, height: 430 },
  { name: "tall", width: 358, height: 460 },
];

/** The build by size, coloured by what happens to each file. */
export function drawMap(report: Report): Element {
  const files = report.files.filter(isOfBuild);
  const bytes = files.reduce((sum, { size }) => sum + size, 0);
  const label = `${counted(files.length, "file")} of the build, ${showBytes(bytes)}, each as large as its bytes`;
  return h(
    "div",
    {
      className: ["map"],
      id: "map",
      tabIndex: 0,
      role: "group",
      ariaLabel: `Map: ${label}. Arrow keys go from one to the next.`,
    },
    ...FORMS.map((form) => drawForm(report, form)),
  );
}

function drawForm({ files }: Report, { name, width, height }: Form): Element {
  const folders = toFolders(files, LEAST_AREA / (width * height));
  const tree = hierarchy<Node>(folders, ({ children }) => children && [...children])
    // What a folder holds is in its children.
    .sum(({ children, size }) => (children ? 0 : size));
  const laidOut = treemap<Node>()
    .size([width, height])
    .tile(treemapSquarify.ratio(1.4))
    .round(true)
    .paddingInner(1)
    .paddingOuter((node) => (node.depth === 0 ? 0 : 2))
    .paddingTop((node) => (hasTitle(node) ? LABEL_PX + 5 : node.depth === 0 ? 0 : 2))(tree);
  const groups = laidOut.descendants().filter((node) => node.children && node.depth > 0);
  return s(
    "svg",
    {
      className: [name],
      viewBox: `0 0 ${width} ${height}`,
      role: "img",
      ariaHidden: "true",
      focusable: "false",
    },
    ...groups.map(drawFolder),
    ...laidOut.leaves().map(drawCell),
  );
}

/** Whether a folder is large enough for its name. */
const hasTitle = ({ depth, x0, x1, y0, y1 }: HierarchyRectangularNode<Node>): boolean =>
  depth > 0 && x1 - x0 > 48 && y1 - y0 > 36;

function drawFolder(node: HierarchyRectangularNode<Node>): Element {
  const { x0, x1, y0, y1, data } = node;
  const box = { x: x0, y: y0, width: x1 - x0, height: y1 - y0 };
  const title = hasTitle(node) ? fit(`${data.name}/`, x1 - x0 - 6) : "";
  return s(
    "g",
    { className: ["folder"] },
    s("rect", box),
    title === "" ? undefined : s("text", { x: x0 + 4, y: y0 + LABEL_PX }, title),
  );
}

function drawCell({ x0, x1, y0, y1, data }: HierarchyRectangularNode<Node>): Element {
  const { name, path, size, files, fate } = data;
  const [width, height] = [x1 - x0, y1 - y0];
  const isOne = files === 1 && name !== "";
  const shown = isOne ? name : counted(files, "file");
  const where = isOne ? path : `${counted(files, "file")} in ${path === "" ? "the top folder" : `${path}/`}`;
  const text = height >= LABEL_PX + 4 ? fit(shown, width - 6) : "";
  const says = `${showBytes(size)}, ${FATE_NAMES[fate]}`;
  // What stands within it is cut at its edges: letters are of another width on each machine.
  return s(
    "svg",
    {
      className: ["cell", fate],
      x: x0,
      y: y0,
      width,
      height,
      dataPath: isOne ? path : `${path}/`,
      dataSays: `${where}: ${says}`,
    },
    s("rect", { width: "100%", height: "100%" }, s("title", {}, `${where}\n${says}`)),
    text === "" ? undefined : s("text", { x: 4, y: LABEL_PX }, text),
  );
}

/** As much of a name as there is room for; nothing where that would say nothing. */
function fit(text: string, width: number): string {
  const most = Math.floor(width / LETTER_PX);
  if (text.length <= most) return text;
  return most < 5 ? "" : `${text.slice(0, most - 1)}…`;
}

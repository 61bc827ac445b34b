import { createHash } from "node:crypto";
import type { Element } from "hast";
import { h, toHtml, type Inside } from "./html.ts";

/** What every page of ours carries: its look, and its script. */
export interface PageAssets {
  readonly style: string;
  /** Empty: the page needs none, and none may run. */
  readonly script: string;
}

export interface Page {
  readonly title: string;
  readonly sections: readonly (Element | undefined)[];
  /** Read by the script: any value that JSON can carry. */
  readonly data: unknown;
}

/**
 * A page that stands alone: it loads nothing, and a policy (CSP Level 3) that names its own style and script by their hashes
 * forbids it to. Text of a build is escaped, and can't run even if it were not.
 */
export function toPage({ title, sections, data }: Page, { style, script }: PageAssets): string {
  const policy = [
    "default-src 'none'",
    `style-src '${toHash(style)}'`,
    ...(script === "" ? [] : [`script-src '${toHash(script)}'`]),
    "img-src data:",
    "base-uri 'none'",
    "form-action 'none'",
  ].join("; ");
  const head = h(
    "head",
    {},
    h("meta", { charSet: "utf-8" }),
    h("meta", { httpEquiv: "Content-Security-Policy", content: policy }),
    h("meta", { name: "viewport", content: "width=device-width, initial-scale=1" }),
    h("meta", { name: "color-scheme", content: "light dark" }),
    h("meta", { name: "robots", content: "noindex" }),
    h("title", {}, title),
    // Else a browser asks for one.
    h("link", { rel: ["icon"], href: "data:," }),
  );
  const [first, ...others] = sections as readonly Inside[];
  const body = h("main", {}, first, drawWays(sections), ...others);
  // What ends a script, or begins a comment there, does not stand in it.
  const toJson = (): string => JSON.stringify(data).replace(/</g, "\\u003c");
  return [
    `<!doctype html>\n<html lang="en">`,
    toHtml(head).replace("</head>", `<style>${style}</style></head>`),
    `<body>${toHtml(body)}`,
    ...(script === ""
      ? []
      : [`<script type="application/json" id="data">${toJson()}</script>`, `<script>${script}</script>`]),
    "</body></html>\n",
  ].join("\n");
}

/** Links to the sections that have a title. */
function drawWays(sections: readonly (Element | undefined)[]): Element {
  const titled = sections.filter((section) => section?.tagName === "section");
  return h(
    "nav",
    { className: ["ways"], ariaLabel: "Sections" },
    ...titled.map((section) => {
      const title = section?.children.find((child) => child.type === "element" && child.tagName === "h2");
      const [text] = title?.type === "element" ? title.children : [];
      return h("a", { href: `#${String(section?.properties.id)}` }, text?.type === "text" ? text.value : "");
    }),
  );
}

const toHash = (text: string): string => `sha256-${createHash("sha256").update(text).digest("base64")}`;

/** What is seen of a project without reading much of it. */
export interface ProjectLook {
  /** Names in the project's own folder. */
  readonly names: readonly string[];
  /** Folders, up to three levels deep, that hold an `index.html`. */
  readonly pageFolders: readonly string[];
  readonly packageName?: string | undefined;
  readonly homepage?: string | undefined;
  /** The name of the repository that the project is kept in. */
  readonly repository?: string | undefined;
  /** The title of the page in the likeliest build, where there is one. */
  readonly title?: string | undefined;
  /** Whether that page is the only one, has no text of its own, and is made by scripts. */
  readonly isMadeByScripts?: boolean | undefined;
}

/** Why it is this folder. `name`: the file of the project that tells. */
export type FoundReason =
  | { readonly code: "writes" | "will-write"; readonly name: string }
  | { readonly code: "holds-page" | "holds-page-alone" };

export interface FoundBuild {
  readonly folder: string;
  readonly reason: FoundReason;
  /** Whether it is there already, or will be after the next build. */
  readonly isThere: boolean;
}

/** Where toolchains write, by the file that tells of them; the first that fits counts. */
const TOOLCHAINS: readonly (readonly [RegExp, readonly RegExp[], string])[] = [
  [/^angular\.json$/, [/^dist\/[^/]+\/browser$/, /^dist\/[^/]+$/], "dist"],
  [/^next\.config\./, [/^out$/], "out"],
  [/^gatsby-config\./, [/^public$/], "public"],
  [/^docusaurus\.config\./, [/^build$/], "build"],
  [/^(\.?eleventy(\.config)?)\.[cm]?js$/, [/^_site$/], "_site"],
  [/^(astro|vite|rollup|webpack|rspack|parcel)\.config\./, [/^dist$/, /^build$/], "dist"],
  [/^nuxt\.config\./, [/^\.output\/public$/, /^dist$/], ".output/public"],
  [/^svelte\.config\./, [/^build$/], "build"],
  [/^(hugo|config)\.toml$/, [/^public$/], "public"],
  [/^_config\.yml$/, [/^_site$/], "_site"],
];

/** Where builds usually are, whatever wrote them. */
const USUAL = ["dist", "build", "out", "_site", "public", "www", "site"];

/** Where the build is, or will be; undefined: nothing tells. */
export function findBuild({ names, pageFolders }: ProjectLook): FoundBuild | undefined {
  for (const [sign, places, usual] of TOOLCHAINS) {
    const name = names.find((candidate) => sign.test(candidate));
    if (name === undefined) continue;
    for (const place of places) {
      const folder = pageFolders.find((candidate) => place.test(candidate));
      if (folder !== undefined) return { folder, reason: { code: "writes", name }, isThere: true };
    }
    return { folder: usual, reason: { code: "will-write", name }, isThere: false };
  }
  const folder = USUAL.find((candidate) => pageFolders.includes(candidate));
  if (folder !== undefined) return { folder, reason: { code: "holds-page" }, isThere: true };
  const [only, ...others] = pageFolders.filter((candidate) => candidate !== ".");
  return only !== undefined && others.length === 0
    ? { folder: only, reason: { code: "holds-page-alone" }, isThere: true }
    : undefined;
}

/** Whether a page shows nothing until its scripts have run. */
export function isEmptyWithoutScripts(html: string): boolean {
  const body = html.replace(/^[^]*?<body[^>]*>/i, "");
  const shown = body.replace(/<(script|style|noscript|template)\b[^]*?<\/\1\s*>|<!--[^]*?-->|<[^>]*>/gi, "");
  return /<script\b/i.test(html) && shown.trim() === "";
}

/** A name for the site: the page's title, or the project's name in words. */
export function guessSiteName({ title, packageName, repository }: ProjectLook): string | undefined {
  const [first = ""] = (title ?? "").split(/\s+[|\u00b7\u2013\u2014-]\s+/);
  const last = (title ?? "").split(/\s+[|\u00b7\u2013\u2014]\s+/).at(-1) ?? "";
  const shortest = last !== "" && last.length < first.length ? last : first;
  if (shortest.trim() !== "") return shortest.trim();
  const words = (packageName ?? repository)
    ?.replace(/^@[^/]*\//, "")
    .split(/[-_.\s]+/)
    .filter((word) => word !== "");
  return words?.length
    ? words.map((word) => word.slice(0, 1).toUpperCase() + word.slice(1)).join(" ")
    : undefined;
}

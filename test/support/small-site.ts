import { resolve } from "node:path";
import { temporaryFolder, writeFiles } from "./builds.ts";
import { isSoak } from "./seeds.ts";

/**
 * A site of seventeen files in two versions, for what must be seen again and again: it has one or two of each kind, and all
 * of it is soon read back. In the second version a script has another name, and therefore every page changes; one page has
 * gone, another has come, and a download has other words.
 */

const LINE = "Boats sail in all weathers that a pelican would, and the islands own them together. ";

interface Version {
  /** Of the script that each page loads. */
  readonly app: string;
  readonly crossing: readonly [folder: string, name: string];
  readonly fare: string;
}

const VERSIONS: Readonly<Record<"1" | "2", Version>> = {
  "1": { app: "app-HADE2WGP.js", crossing: ["gull-point", "Gull Point"], fare: "6.50" },
  "2": { app: "app-5GJKRH6D.js", crossing: ["cape-wren", "Cape Wren"], fare: "7.20" },
};

/** @param body what is different from the other pages */
const toPage = ({ app }: Version, title: string, body: string): string =>
  [
    `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>${title} | Pelican Sound Ferries</title>`,
    '<link rel="icon" href="/favicon.svg" type="image/svg+xml"><link rel="manifest" href="/site.webmanifest">',
    `<link rel="stylesheet" href="/assets/site-3OWTC7UY.css"><script type="module" src="/assets/${app}"></script></head>`,
    '<body><nav><a href="/">Ferries</a><a href="/crossings/">Crossings</a><a href="/fares/">Fares</a><a href="/news/">News</a><a href="/about.html">About</a><a href="/contact.html">Contact</a></nav>',
    `<main><h1>${title}</h1>${body}<p>${LINE.repeat(12)}</p></main></body></html>`,
    "",
  ].join("\n");

/** Starts as a WebP picture does, so that its type is clear. */
const PICTURE = Buffer.concat([
  Buffer.from("RIFF\x28\x07\0\0WEBPVP8L", "latin1"),
  Buffer.from(Array.from({ length: 1840 }, (_, index) => (index * index * 31 + index * 7) % 251)),
]);

function toFiles(version: Version): Record<string, string | Buffer> {
  const [folder, name] = version.crossing;
  return {
    "index.html": toPage(version, "Ferries", `<img src="/assets/hero-TBSHL52L.webp" alt=""><p><a href="/crossings/${folder}/">${name}</a></p>`),
    "404.html": toPage(version, "Not here", "<p>This page has sailed.</p>"),
    "about.html": toPage(version, "About the line", "<p>Since 1931.</p>"),
    "contact.html": toPage(version, "Contact", "<p>Quay Street 1.</p>"),
    "crossings/index.html": toPage(version, "Crossings", `<p><a href="/crossings/${folder}/">${name}</a></p>`),
    [`crossings/${folder}/index.html`]: toPage(version, name, "<p>Forty minutes.</p>"),
    "fares/index.html": toPage(version, "Fares", '<p><a href="/downloads/fares.csv">All fares</a></p>'),
    "news/index.html": toPage(version, "News", "<p>The seals have been counted.</p>"),
    "downloads/fares.csv": `crossing,fare\n${name},${version.fare}\n`,
    "sw.js": `const KEPT = ["/", "/assets/${version.app}"];\nself.addEventListener("install", (event) => event.waitUntil(caches.open("ferries").then((cache) => cache.addAll(KEPT))));\n`,
    "robots.txt": "User-agent: *\nAllow: /\nSitemap: https://www.pelicansound.example/sitemap.xml\n",
    "favicon.svg": '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 8 8"><path d="M1 6h6L4 1z"/></svg>\n',
    "site.webmanifest": '{"name":"Pelican Sound Ferries","start_url":"/"}\n',
    [`assets/${version.app}`]: `import("/assets/chunk-DOPMOYKG.js").then(({ greet }) => greet("${name}"));\nnavigator.serviceWorker?.register("/sw.js");\n`,
    "assets/chunk-DOPMOYKG.js": `export const greet = (name) => { document.title += " " + name; };\n/* ${LINE.repeat(15)} */\n`,
    "assets/site-3OWTC7UY.css": `body { font: 1rem/1.5 serif; color: #123; }\n/* ${LINE.repeat(15)} */\n`,
    "assets/hero-TBSHL52L.webp": PICTURE,
  };
} // prettier-ignore

/** @returns a folder of its own, with the two versions in `1` and `2` */
export function makeSmallSite(): string {
  const folder = temporaryFolder("small-site");
  for (const [name, version] of Object.entries(VERSIONS)) writeFiles(`${folder}/${name}`, toFiles(version));
  return folder;
}

/** @returns a folder with a site in two versions: by day the small one, at night the demo's, which has more of everything */
export const makeSite = (): string => (isSoak ? resolve("demo/builds") : makeSmallSite());

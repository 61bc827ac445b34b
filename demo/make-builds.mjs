// Makes demo/builds/1, 2 and 3 out of demo/source: the same sources give the same bytes. Needs the development packages.
import { cpSync, mkdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";
import { build as bundle } from "esbuild";
import sharp from "sharp";
import { BUILDS, CROSSINGS, HARBOURS } from "./source/facts.mjs";
import { feed, sitemap, writePages } from "./source/pages.mjs";
import { drawBadge, drawMap, drawScene } from "./source/scenes.mjs";

const here = fileURLToPath(new URL(".", import.meta.url));
const out = process.argv[2] ?? join(here, "builds");
const work = join(here, ".work");
const FONTS = [
  "figtree/files/figtree-latin-400-normal.woff2",
  "figtree/files/figtree-latin-600-normal.woff2",
  "fraunces/files/fraunces-latin-600-normal.woff2",
];

rmSync(out, { recursive: true, force: true });
const pictures = await drawPictures();
for (const number of Object.keys(BUILDS)) await makeBuild(number, BUILDS[number]);
rmSync(work, { recursive: true, force: true });

async function drawPictures() {
  const raster = (svg) => sharp(Buffer.from(svg));
  const scenes = {};
  for (const name of ["morning", "noon", "evening", "dusk"])
    scenes[`scene-${name}.webp`] = await raster(drawScene(name, 800, 450))
      .webp({ quality: 78 })
      .toBuffer();
  const photos = {};
  for (const { id, scene } of HARBOURS)
    photos[`photos/${id}.jpg`] = await raster(drawScene(scene, 800, 450, id))
      .jpeg({ quality: 80 })
      .toBuffer();
  return {
    hashed: {
      "hero.webp": await raster(drawScene("morning", 1600, 720))
        .webp({ quality: 76 })
        .toBuffer(),
      ...scenes,
    },
    plain: {
      ...photos,
      "favicon.svg": drawBadge(64),
      "apple-touch-icon.png": await raster(drawBadge(180)).png().toBuffer(),
      "icons/icon-192x192.png": await raster(drawBadge(192)).png().toBuffer(),
      "icons/icon-512x512.png": await raster(drawBadge(512)).png().toBuffer(),
      "og-image.jpg": await raster(drawScene("evening", 1200, 630))
        .jpeg({ quality: 80 })
        .toBuffer(),
    },
  };
}

async function makeBuild(number, build) {
  const target = join(out, number);
  const write = (path, content) => {
    mkdirSync(dirname(join(target, path)), { recursive: true });
    writeFileSync(join(target, path), content);
  };
  const crossings = build.crossings.map((id) => CROSSINGS.find((crossing) => crossing.id === id));
  const addresses = await bundleAssets(number === "1" ? "1" : "2", crossings, target);
  const pages = writePages(build, (name) => addresses[name]);
  for (const [path, text] of Object.entries(pages)) write(path, text);
  for (const [path, content] of Object.entries(pictures.plain)) write(path, content);
  for (const id of build.crossings)
    write(
      `timetables/${id}.json`,
      `${JSON.stringify({ crossing: id, season: build.season, times: build.times[id] }, null, 1)}\n`,
    );
  write(
    "timetables/latest.json",
    `${JSON.stringify({ season: build.season, crossings: build.crossings })}\n`,
  );
  write(
    "downloads/timetable-card.txt",
    `${build.season}\n\n${build.crossings.map((id) => `${id.padEnd(18)}${build.times[id].join("  ")}`).join("\n")}\n`,
  );
  write(
    "downloads/fares.csv",
    `crossing,one way,return\n${crossings.map(({ id, fare }) => `${id},${fare.toFixed(2)},${(fare * 1.8).toFixed(2)}`).join("\n")}\n`,
  );
  write("print.css", ".hero, nav, footer { display: none }\nbody { background: #fff }\n");
  write("sitemap.xml", sitemap(pages));
  write("feed.xml", feed(build));
  write("robots.txt", "User-agent: *\nAllow: /\nSitemap: https://www.pelicansound.example/sitemap.xml\n");
  write(
    ".well-known/security.txt",
    "Contact: mailto:harbour@pelicansound.example\nExpires: 2027-12-31T00:00:00Z\n",
  );
  write(
    "site.webmanifest",
    `${JSON.stringify({ name: "Pelican Sound Ferries", short_name: "Ferries", start_url: "/", display: "standalone", theme_color: "#0b4650", background_color: "#fdf8ee", icons: [192, 512].map((size) => ({ src: `/icons/icon-${size}x${size}.png`, sizes: `${size}x${size}`, type: "image/png" })) }, null, 1)}\n`,
  );
  write("sw.js", worker(addresses, build));
}

/** Scripts, styles, fonts and pictures under names that carry a hash. @returns address by plain name */
async function bundleAssets(component, crossings, target) {
  rmSync(work, { recursive: true, force: true });
  cpSync(join(here, "source"), work, { recursive: true });
  cpSync(join(work, "scripts", `departures-${component}.js`), join(work, "scripts", "departures.js"));
  mkdirSync(join(work, "fonts"));
  mkdirSync(join(work, "images"));
  for (const font of FONTS)
    cpSync(
      join(here, "..", "node_modules", "@fontsource", font),
      join(work, "fonts", font.split("/").at(-1)),
    );
  for (const [name, bytes] of Object.entries(pictures.hashed))
    writeFileSync(join(work, "images", name), bytes);
  writeFileSync(join(work, "images", "map.svg"), drawMap(crossings));
  const used = [
    "map.svg",
    ...new Set(
      ["morning", "noon", "evening", ...crossings.map(({ scene }) => scene)].map(
        (scene) => `scene-${scene}.webp`,
      ),
    ),
  ];
  const { metafile } = await bundle({
    absWorkingDir: work,
    entryPoints: ["scripts/app.js", "styles/site.css", ...used.map((name) => `images/${name}`)],
    outdir: join(target, "assets"),
    bundle: true,
    splitting: true,
    minify: true,
    format: "esm",
    metafile: true,
    entryNames: "[name]-[hash]",
    chunkNames: "[name]-[hash]",
    assetNames: "[name]-[hash]",
    publicPath: "/assets",
    loader: { ".webp": "copy", ".svg": "copy", ".woff2": "file" },
    external: [],
  });
  const entries = Object.entries(metafile.outputs).filter(([, { entryPoint }]) => entryPoint);
  return Object.fromEntries(
    entries.map(([path, { entryPoint }]) => [
      entryPoint.split("/").at(-1),
      `/assets/${path.split("/").at(-1)}`,
    ]),
  );
}

/** A service worker that keeps the harbour pages at hand when the signal is lost. */
function worker(addresses, { season }) {
  return `const CACHE = ${JSON.stringify(season)};
const KEPT = ${JSON.stringify(["/", "/timetables/", addresses["app.js"], addresses["site.css"]])};
self.addEventListener("install", (event) => event.waitUntil(caches.open(CACHE).then((cache) => cache.addAll(KEPT))));
self.addEventListener("activate", (event) => event.waitUntil(caches.keys().then((names) => Promise.all(names.filter((name) => name !== CACHE).map((name) => caches.delete(name))))));
self.addEventListener("fetch", (event) => {
  if (event.request.mode === "navigate") event.respondWith(fetch(event.request).catch(() => caches.match(event.request)));
});
`;
}

if (readFileSync(join(out, "1", "index.html"), "utf8").includes("undefined"))
  throw new Error("an asset has no address");

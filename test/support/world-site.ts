import { hash } from "node:crypto";

const letters = (text: string): string => hash("sha256", text).slice(0, 8);
/** A name with a hash in it that looks like one. */
const hashed = (name: string, build: number): string => {
  let salt = 0;
  for (;;) {
    const digits = letters(`${name} ${build} ${salt}`);
    if (/[a-f].*[a-f]/.test(digits) && /\d.*\d/.test(digits)) return `assets/${name}-${digits}.js`;
    salt += 1;
  }
};

/** A site whose pages name assets of their own build, one page and one chunk of which are in no other. */
export function filesOf(build: number): Readonly<Record<string, string>> {
  const made = MADE.get(build) ?? makeFiles(build);
  MADE.set(build, made);
  return made;
}

const MADE = new Map<number, Readonly<Record<string, string>>>();

function makeFiles(build: number): Readonly<Record<string, string>> {
  const chunk = hashed("chunk", build);
  const page = (title: string): string => `build ${build} ${title} ${chunk}`;
  return {
    "index.html": page("home"),
    "news/index.html": page("news"),
    [`only-${build}.html`]: page("only"),
    // The same in every second build: going on from another build's half-done work must not take it for new.
    "about.html": `build ${build % 2} about ${hashed("shared", build % 2)}`,
    [hashed("shared", build % 2)]: `shared ${build % 2}`,
    [chunk]: `chunk ${build}`,
    "app.css": `styles ${build}`,
    "version.json": `{"build":${build}}`,
    "data.json": "the same in all",
  };
}
const BUILDS = [1, 2, 3, 4, 5];
const KEYS = [...new Set(BUILDS.flatMap((build) => Object.keys(filesOf(build))))];
export const ADDRESSES = [...KEYS.map((key) => `/${key}`), "/", "/news/", "/?from=letter", "/news/?page=2"];
export const keyOf = (address: string): string => {
  const [path = "/"] = address.split("?");
  return (path.endsWith("/") ? `${path}index.html` : path).slice(1);
};

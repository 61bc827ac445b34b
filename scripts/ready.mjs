// Makes a clone ready to run: installs packages when the lock file asks for others than those that stand there, and
// builds when a source is newer than the bundle. When all is there it costs one walk over src/.
import { execFileSync } from "node:child_process";
import { createHash } from "node:crypto";
import { existsSync, readFileSync, readdirSync, statSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";

process.chdir(fileURLToPath(new URL("..", import.meta.url)));

const options = { stdio: ["ignore", 2, 2], env: { ...process.env, NODE_ENV: "development" } };

/**
 * The npm that has called this, or the one that came with this Node.js: run by Node.js itself, since the command `npm` of
 * Windows would need a shell, and that would take "C:\\Program Files" apart.
 */
function runNpm(args) {
  const own = dirname(process.execPath);
  const places = [
    process.env.npm_execpath ?? "",
    join(own, "node_modules/npm/bin/npm-cli.js"),
    join(own, "../lib/node_modules/npm/bin/npm-cli.js"),
  ];
  const found = places.find((place) => place.endsWith("npm-cli.js") && existsSync(place));
  if (found !== undefined) execFileSync(process.execPath, [found, ...args], options);
  else execFileSync("npm", args, options);
}

const stamp = "node_modules/.courier-lock";
// The same lock file with other line ends asks for the same packages.
const lock = createHash("sha256")
  .update(readFileSync("package-lock.json", "utf8").replaceAll("\r\n", "\n"))
  .digest("hex");
if (!existsSync(stamp) || readFileSync(stamp, "utf8") !== lock) {
  process.stderr.write("installing packages …\n");
  runNpm(["ci", "--no-audit", "--no-fund", "--loglevel=error"]);
  writeFileSync(stamp, lock);
}

const newest = (path) =>
  statSync(path).isDirectory()
    ? Math.max(...readdirSync(path).map((name) => newest(join(path, name))))
    : statSync(path).mtimeMs;
const sources = Math.max(...["src", "package.json", "package-lock.json", "scripts/build.mjs"].map(newest));
if (!existsSync("dist/main.js") || statSync("dist/main.js").mtimeMs < sources) {
  process.stderr.write("building …\n");
  execFileSync(process.execPath, ["scripts/build.mjs"], options);
}

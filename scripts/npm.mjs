import { execFileSync } from "node:child_process";
import { existsSync } from "node:fs";
import { dirname, join } from "node:path";

/**
 * Runs the npm that has called this, or the one that came with this Node.js: by Node.js itself, since the command `npm` of
 * Windows would need a shell, and that would take "C:\\Program Files" apart.
 * @throws where npm fails
 */
export function runNpm(args, options = {}) {
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

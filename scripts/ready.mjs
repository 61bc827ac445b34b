// Makes a clone ready to run: installs packages when the lock file asks for others than those that stand there, and
// builds when a source is newer than the bundle. When all is there it costs one walk over src/.
import { execFileSync } from "node:child_process";
import { createHash } from "node:crypto";
import { existsSync, readFileSync, readdirSync, statSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { runNpm } from "./npm.mjs";

process.chdir(fileURLToPath(new URL("..", import.meta.url)));

const options = { stdio: ["ignore", 2, 2], env: { ...process.env, NODE_ENV: "development" } };

const stamp = "node_modules/.courier-lock";
// The same lock file with other line ends asks for the same packages.
const lock = createHash("sha256")
  .update(readFileSync("package-lock.json", "utf8").replaceAll("\r\n", "\n"))
  .digest("hex");
if (!existsSync(stamp) || readFileSync(stamp, "utf8") !== lock) {
  process.stderr.write("installing packages …\n");
  runNpm(["ci", "--no-audit", "--no-fund", "--loglevel=error"], options);
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

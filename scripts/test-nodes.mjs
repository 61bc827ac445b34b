// Runs the demo and the quick suites on the least Node.js that package.json allows and on the current ones, each time where
// something else is different, too: line ends of Windows, a user without name and home, a proxy. The least one runs all. Of
// the current ones each runs what its difference may touch; the rest they share. Each Node.js comes inside a package of the
// registry.
//   --install        only fetches them
//   --path VERSION   only fetches that one, or the `least`, and says where it is
//   --current        leaves the least one out
//   --whole          all suites on each
//   --demo           the demo alone
import { execFileSync, spawn, spawnSync } from "node:child_process";
import { once } from "node:events";
import { chownSync, existsSync, lstatSync, mkdtempSync, readdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from "node:fs"; // prettier-ignore
import { createServer } from "node:http";
import { tmpdir } from "node:os";
import { delimiter, dirname, join, resolve, sep } from "node:path";
import { fileURLToPath } from "node:url";
import { runNpm } from "./npm.mjs";

process.chdir(fileURLToPath(new URL("..", import.meta.url)));
const [only, asked = "least"] = process.argv.slice(2);
const { engines } = JSON.parse(readFileSync("package.json", "utf8"));
const least = `${engines.node.replace(/[^0-9.]/g, "")}.0`;
const isWindows = process.platform === "win32";

/** Somebody who has no account on this machine. */
const NOBODY = 54_321;

/** What asks the system: its files, its user, its network. */
const SYSTEM =
  /^(test\/(commands|contracts)|src\/(adapters|cli|gather|library|sandbox|serving|settings|system|wiring))\//;

/** By version; what is different there, besides. `runs`: what it runs in any case; what only works in memory is shared. */
const ROUNDS = [
  { version: least, runs: /^/ },
  {
    version: "22",
    where: "line ends of Windows, a user without name and home",
    prepare: asStranger,
    runs: /^(test\/(architecture|commands\/(guards|help|history|look|refusals|setup|ways))|src\/(cli|gather|library|settings|system)\/)/,
  },
  {
    version: "24",
    where: "a proxy that must not be asked for this machine",
    prepare: behindProxy,
    runs: /^(test\/commands\/(ci|look|report|traffic|ways)|src\/(adapters|sandbox|serving|wiring)\/)/,
  },
  { version: "26", runs: /^test\/(contracts|commands\/(documents|library|printed|results|schemas))\// },
];
const isAsked = ({ version }) =>
  process.env.COURIER_NODES?.split(" ").includes(version) ?? (only !== "--current" || version !== least);

const common = {
  ...process.env,
  AWS_EC2_METADATA_DISABLED: "true",
  AWS_CONFIG_FILE: "/dev/null",
  AWS_SHARED_CREDENTIALS_FILE: "/dev/null",
};

/** One seed for each property: what differs between versions of Node.js are not cases. */
const FEWER = { COURIER_SEED: "1" };
/**
 * Left to one Node.js, since all of them only ask what is worked out in memory: how costs grow, thousands of interleavings
 * and of writes that come late, and what real builds refer to.
 */
const LEFT_OUT = /growth|interleaving|late\.test|builds-truth/;
/** What reads our own files, which are the same for each Node.js, unless their lines end otherwise. */
const READS_SOURCES = /^test\/architecture\//;
const QUICK = /^(src|test\/(architecture|builds-truth|commands|contracts))\/.*\.test\.ts$/;

/** @returns the quick suites for one round */
function listSuites(round) {
  const all = ["src", "test"]
    .flatMap((root) => readdirSync(root, { recursive: true }).map((name) => join(root, name)))
    .map((path) => path.split(sep).join("/"))
    .filter((path) => QUICK.test(path) && !LEFT_OUT.test(path))
    .sort();
  if (only === "--whole") return all;
  const shared = all.filter((path) => !SYSTEM.test(path) && !READS_SOURCES.test(path));
  const [, ...sharing] = ROUNDS;
  const own = shared.filter((_, index) => sharing[index % sharing.length] === round);
  return all.filter((path) => round.runs.test(path) || own.includes(path));
}

/** @returns the path of a Node.js of that version */
function install(version) {
  const folder = `node_modules/.cache/courier/nodes/${version}`;
  const name = `node-${isWindows ? "win" : process.platform}-${process.arch}`;
  const binary = resolve(folder, `node_modules/${name}/bin/${isWindows ? "node.exe" : "node"}`);
  if (!existsSync(binary)) {
    const call = ["install", "--prefix", folder, "--ignore-scripts", "--no-audit", "--no-fund", "--loglevel=error", `${name}@${version}`]; // prettier-ignore
    runNpm(call, { stdio: ["ignore", "ignore", 2] });
  }
  return binary;
}

/** A checkout of its own whose files end lines as Windows does, for a user whom this machine does not know. */
function asStranger() {
  if (process.getuid?.() !== 0) return { left: "only root can be another user" };
  const folder = mkdtempSync(join(tmpdir(), "courier-stranger-"));
  const git = (...args) => execFileSync("git", args, { cwd: folder, stdio: ["ignore", "ignore", 2] });
  git("clone", "-q", "--no-checkout", process.cwd(), ".");
  writeFileSync(join(folder, ".git/info/attributes"), "* text=auto eol=crlf\ndemo/builds/** -text\ntest/builds/** -text\n"); // prettier-ignore
  git("checkout", "-q", "-f", "HEAD");
  symlinkSync(resolve("node_modules"), join(folder, "node_modules"));
  give(folder);
  const nameless = ([name]) => !["HOME", "USER", "LOGNAME"].includes(name);
  const environment = Object.fromEntries(Object.entries(common).filter(nameless));
  return {
    options: { cwd: folder, uid: NOBODY, gid: NOBODY, env: environment },
    end: () => rmSync(folder, { recursive: true, force: true }),
  };
}

function give(path) {
  const facts = lstatSync(path);
  if (facts.isSymbolicLink()) return;
  chownSync(path, NOBODY, NOBODY);
  if (facts.isDirectory()) for (const name of readdirSync(path)) give(join(path, name));
}

/** All that the suites ask is on this machine, where no proxy is to be asked. */
async function behindProxy() {
  let requests = 0;
  const server = createServer((_, answer) => {
    requests += 1;
    answer.writeHead(502).end();
  });
  server.on("connect", (_, socket) => {
    requests += 1;
    socket.end("HTTP/1.1 502 Bad Gateway\r\n\r\n");
  });
  server.listen(0, "127.0.0.1");
  await once(server, "listening");
  const proxy = `http://127.0.0.1:${server.address().port}`;
  return {
    options: { env: { ...common, HTTP_PROXY: proxy, HTTPS_PROXY: proxy } },
    end: () => {
      server.close();
      if (requests > 0) throw new Error(`the proxy was asked ${requests} times`);
    },
  };
}

/** Ends with the exit code of what failed. */
async function call(binary, args, options) {
  const { env } = options;
  // The program that tests start must be of this Node.js, too.
  const PATH = [dirname(binary), env.PATH].join(delimiter);
  const child = spawn(binary, args, { stdio: "inherit", ...options, env: { ...env, PATH } });
  const [code] = await once(child, "close");
  if (code !== 0) throw new Error(`${args.join(" ")} ended with ${code}`);
}

if (only === "--path") {
  process.stdout.write(`${install(asked === "least" ? least : asked)}\n`);
  process.exit(0);
}
for (const round of ROUNDS.filter(isAsked)) {
  const { version, where, prepare } = round;
  const binary = install(version);
  if (only === "--install") continue;
  const { options = { env: common }, end = () => undefined, left } = (await prepare?.()) ?? {};
  const named = String(spawnSync(binary, ["--version"]).stdout).trim();
  process.stdout.write(`Node.js ${named}${where === undefined ? "" : `: ${where}`}${left === undefined ? "" : ` (left out: ${left})`}\n`); // prettier-ignore
  try {
    await call(binary, ["scripts/ready.mjs"], options);
    await call(binary, ["dist/main.js", "demo"], options);
    if (only !== "--demo")
      await call(binary, ["scripts/test.mjs", "--runTestsByPath", ...listSuites(round)], {
        ...options,
        env: { ...options.env, ...FEWER },
      });
  } finally {
    end();
  }
}

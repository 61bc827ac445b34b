import { execFileSync, spawn, spawnSync } from "node:child_process";
import { once } from "node:events";
import { existsSync, readdirSync, readFileSync } from "node:fs";
import { join, resolve } from "node:path";
import { stripVTControlCharacters } from "node:util";
import { widthOf } from "../../src/cli/frame/width.ts";
import { temporaryFolder, writeFiles } from "../support/builds.ts";
import { needing } from "../support/needing.ts";
import { NO_KEYS, Project } from "../support/program.ts";

const BUILDS = resolve("demo/builds");
const PROGRAM = resolve("dist/main.js");
const fullTest = needing("a POSIX shell", "/dev/full");
const rootTest = needing("root, to be somebody else", "setpriv");
const terminalTest = needing("a program that opens a terminal (script of util-linux)");

/** A delivery into a folder. */
function open(build = `${BUILDS}/1`) {
  const root = temporaryFolder("root");
  const project = new Project(
    `site: Pelican Sound Ferries\nbuild: { folder: ${JSON.stringify(build)} }\ndestinations:\n  live: { store: { kind: folder, folder: ${JSON.stringify(root)} } }\n`,
    NO_KEYS,
  );
  return { root, project };
}

const packed = (): string => {
  const archive = join(temporaryFolder("packed"), "build.tar.gz");
  execFileSync("tar", ["czf", archive, "-C", `${BUILDS}/2`, "."]);
  return archive;
};

fullTest("a full disk under what is printed stops nothing, and is told by the exit code", async () => {
  const lost = "the work itself is done, but the result could not be written: the disk is full (ENOSPC)";
  for (const [streams, said] of [
    [">/dev/full", lost],
    ["2>/dev/full", ""],
    [">/dev/full 2>&1", ""],
  ] as const) {
    const { root, project } = open();
    const launcher = ["sh", "-c", `exec "$@" ${streams}`, "sh"];
    const { exit, stderr } = await project.run(["deliver"], {}, launcher);
    expect([streams, exit, stderr]).toEqual([streams, 74, expect.stringContaining(said)]);
    expect(existsSync(join(root, ".courier/current.json"))).toBe(true);
  }
  const { project } = open();
  for (const option of ["--output", "--summary"]) {
    const { exit, stderr } = await project.run(["deliver", option, "/dev/full"]);
    expect([exit, stderr]).toEqual([74, expect.stringContaining("but /dev/full could not be written: the disk is full")]); // prettier-ignore
  }
  // A run that failed says that, and a reader who has seen enough loses nothing.
  expect((await project.run(["compare", "--to", "nowhere"], {}, ["sh", "-c", 'exec "$@" 2>/dev/full', "sh"])).exit).toBe(2); // prettier-ignore
  expect((await project.run(["releases"], {}, ["sh", "-c", '{ "$@"; echo "left $?" >&2; } | true', "sh"])).stderr).toContain("left 0"); // prettier-ignore
});

test("files that can't be used are told with their path before anything is done", async () => {
  const archive = packed();
  const { root, project } = open(archive);
  writeFiles(project.folder, { file: "x" });
  const none = join(project.folder, "none");
  const calls: [number, string, string[], NodeJS.ProcessEnv?][] = [
    [2, `no temporary files can be written in ${none}: there is no such file or folder (ENOENT)`, ["deliver"], { TMPDIR: none }], // prettier-ignore
    [2, `no temporary files can be written in ${none}`, ["demo"], { TMPDIR: none }],
    [2, "file/result can't be written: ", ["compare", "--output", "file/result"]],
    [1, `${join(project.folder, "file")}: something else is there already (EEXIST)`, ["sandbox", "--store-port", "0", "--edge-port", "0", "--data", "file"]], // prettier-ignore
  ];
  for (const [exit, said, args, environment] of calls) {
    const outcome = await project.run(args, environment);
    expect([args, outcome.exit, outcome.stderr]).toEqual([args, exit, expect.stringContaining(`failed: ${said}`)]); // prettier-ignore
  }
  expect(readdirSync(root)).toEqual([]);
});

/** A disk of 64 kB. */
const smallDisk = (): string | undefined => {
  const folder = temporaryFolder("small-disk");
  if (spawnSync("mount", ["-t", "tmpfs", "-o", "size=64k", "tmpfs", folder]).status !== 0) return undefined;
  return folder;
};

rootTest("a disk that fills up while an archive is unpacked is no fault of the archive", async () => {
  const disk = smallDisk();
  // A container may not mount anything.
  if (disk === undefined) return;
  try {
    const { root, project } = open(packed());
    const { exit, stderr } = await project.run(["deliver"], { TMPDIR: disk });
    expect([exit, stderr]).toEqual([2, expect.stringContaining(`no temporary files can be written in ${disk}: the disk is full (ENOSPC)`)]); // prettier-ignore
    expect([readdirSync(disk), readdirSync(root)]).toEqual([[], []]);
  } finally {
    spawnSync("umount", [disk]);
  }
});

rootTest("a user without a name and a home delivers, and is known by the number", async () => {
  const { root, project } = open();
  const launcher = ["setpriv", "--reuid", "54321", "--regid", "54321", "--clear-groups", "env", "-u", "HOME", "-u", "USER", "-u", "LOGNAME"]; // prettier-ignore
  for (const folder of [root, project.folder]) execFileSync("chown", ["-R", "54321", folder]);
  const { exit, stderr } = await project.run(["deliver", "--verbose"], {}, launcher);
  expect([exit, stderr]).toEqual([0, expect.any(String)]);
  const { stdout } = await project.run(["releases"], { USER: "" }, launcher);
  expect(stdout).toContain("uid 54321");
  // A store and an edge behind the protocol's clients, which look for a home.
  expect((await project.run(["demo"], { TMPDIR: project.folder }, launcher)).exit).toBe(0);
});

test("however a program ends, its temporary folders go with it", async () => {
  const { project } = open();
  const held = temporaryFolder("held");
  const ports = ["--store-port", "0", "--edge-port", "0"];
  for (const [args, signal, exit] of [
    [["sandbox", ...ports, "--format", "json"], "SIGHUP", 0],
    [["demo"], "SIGTERM", 143],
    [["demo"], "SIGHUP", 129],
    [["demo"], "SIGINT", 130],
  ] as const) {
    const child = project.start(args, { TMPDIR: held });
    const ended = once(child, "exit");
    const isUnderWay = (): boolean => readdirSync(held).length > 0;
    while (!isUnderWay()) await new Promise((done) => setTimeout(done, 10));
    // One that is to be stopped well must have come so far.
    if (exit === 0) await once(child.stdout as NodeJS.ReadableStream, "data");
    child.kill(signal);
    expect([args, signal, await ended, readdirSync(held)]).toEqual([args, signal, [exit, null], []]);
  }
  const taken = project.start(["sandbox", ...ports, "--format", "json"], {});
  const [line] = (await once(taken.stdout as NodeJS.ReadableStream, "data")) as [Buffer];
  const { port } = new URL((JSON.parse(String(line)) as { endpoint: string }).endpoint);
  const refused = await project.run(["sandbox", "--store-port", port, "--edge-port", "0"], { TMPDIR: held });
  taken.kill();
  expect([refused.exit, refused.stderr, readdirSync(held)]).toEqual([1, expect.stringContaining(`port ${port} is taken`), []]); // prettier-ignore
});

terminalTest("a question is still answered after Ctrl-Z and fg", async () => {
  const folder = temporaryFolder("asked");
  writeFiles(folder, {
    "dist/index.html": "<title>Pelican Sound</title>",
    // Where jobs are controlled, a stopped one lets the next line run.
    call: `set -m\n'${process.execPath}' '${PROGRAM}' setup\necho stopped\nfg >/dev/null\n`,
  });
  const child = spawn("script", ["-qec", "bash call", "/dev/null"], {
    cwd: folder,
    env: { PATH: process.env.PATH, HOME: folder, TERM: "xterm" },
  });
  let said = "";
  child.stdout.on("data", (part) => (said += String(part)));
  const until = async (text: string): Promise<void> => {
    while (!said.includes(text)) await new Promise((done) => setTimeout(done, 20));
    said = said.slice(said.indexOf(text) + text.length);
  };
  await until("Which folder");
  child.stdin.write("\x1a");
  await until("stopped");
  await until("Which folder");
  child.stdin.write("dist\r");
  await until("What is the site called?");
  child.stdin.write("\x03");
  expect(await once(child, "exit")).toEqual([130, null]);
});

test("colours as their conventions say", async () => {
  const { project } = open();
  const isColoured = async (environment: NodeJS.ProcessEnv): Promise<boolean> => {
    const { stdout, stderr } = await project.run(["compare"], environment);
    return /\u001b\[\d+m/.test(stdout + stderr);
  };
  const seen = [{}, { FORCE_COLOR: "1" }, { FORCE_COLOR: "" }, { FORCE_COLOR: "false" }, { FORCE_COLOR: "0" }, { FORCE_COLOR: "1", NO_COLOR: "" }, { FORCE_COLOR: "1", NO_COLOR: "1" }]; // prettier-ignore
  const coloured: boolean[] = [];
  for (const environment of seen) coloured.push(await isColoured(environment));
  expect(coloured).toEqual([false, true, true, false, false, true, false]);
});

terminalTest("each stream has its own colours, and a narrow screen its own layout", async () => {
  const { project } = open();
  writeFiles(project.folder, {
    "dist/index.html": "<title>Pelican Sound</title>",
    "dist/\u6e21\u8239/\u65f6\u523b\u8868.html": "<title>t</title>",
    call: `stty cols 40 rows 30\n'${process.execPath}' '${PROGRAM}' compare --to nowhere 2>err\n'${process.execPath}' '${PROGRAM}' checkup --dry-run 2>/dev/null\nstty cols 100\n'${process.execPath}' '${PROGRAM}' compare --build dist 2>/dev/null\n`,
  });
  const child = spawn("script", ["-qec", "bash call", "/dev/null"], {
    cwd: project.folder,
    env: { PATH: process.env.PATH, HOME: project.folder, TERM: "xterm", CI: "false" },
  });
  let said = "";
  child.stdout.on("data", (part) => (said += String(part)));
  await once(child, "exit");
  expect(readFileSync(join(project.folder, "err"), "utf8")).toMatch(/^failed: there is no destination/);
  expect(said).toContain("\u001b[1m");
  const lines = stripVTControlCharacters(said).split(/\r?\n/);
  // Of a link first its name, and below it what was found.
  const links = lines.filter((line) => /^ {3}(passed|note|FAILED|not run) |^ {13}\S/.test(line));
  const wide = links.filter((line) => !line.includes("/") && widthOf(line) > 40);
  expect([links.length > 8, wide]).toEqual([true, []]);
  // Sizes stand below each other, whatever the names are written in.
  const columns = lines.flatMap((line) => {
    const [, before] = /^( +\S+\.html +)\d+ B/.exec(line) ?? [];
    return before === undefined ? [] : [widthOf(before)];
  });
  expect(columns).toEqual([columns[0], columns[0]]);
});

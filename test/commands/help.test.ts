import { execFileSync } from "node:child_process";
import { mkdirSync } from "node:fs";
import { join } from "node:path";
import { COMMANDS } from "../../src/cli/run.ts";
import { findCandidates } from "../../src/cli/completion/candidates.ts";
import { findMeant } from "../../src/cli/frame/other-words.ts";
import { GLOSSARY } from "../../src/words/glossary.ts";
import { ProjectHere } from "../support/called-here.ts";
import { temporaryFolder, writeFiles } from "../support/builds.ts";

const NO_KEYS = { accessKeyId: "", secretAccessKey: "" };
const build = writeFiles(temporaryFolder("help"), { "index.html": "<p>ferries" });
const SETTINGS = `site: Pelican Sound Ferries\nbuild: { folder: ${JSON.stringify(build)} }\ndestinations:\n  practice: { store: { kind: folder, folder: shelf }, default: true }\n  production: { store: { kind: folder, folder: other } }\n`;
const names = COMMANDS.map(({ name }) => name);

const openProject = (): ProjectHere => {
  const project = new ProjectHere(SETTINGS, NO_KEYS);
  writeFiles(project.folder, { "shelf/.keep": "", "other/.keep": "", "package.json": "{}" });
  return project;
};

test("help is found in every way in which people ask for it, and fits 80 columns", async () => {
  const project = openProject();
  const said = async (...args: string[]): Promise<string> => {
    const { exit, stdout, stderr } = await project.run(args);
    expect([args, exit, stderr]).toEqual([args, 0, ""]);
    return stdout;
  };
  const overview = await said();
  for (const call of [["--help"], ["-h"], ["help"]]) expect(await said(...call)).toBe(overview);
  expect(overview.split("\n").filter((line) => line.length > 80)).toEqual([]);
  for (const name of names) {
    const help = await said(name, "--help");
    for (const call of [[name, "-h"], ["help", name]]) expect([name, await said(...call)]).toEqual([name, help]);
    expect(help.split("\n").filter((line) => line.length > 80 && !line.startsWith("  rcourier "))).toEqual([]);
  }
  for (const call of [["--version"], ["-v"], ["-V"], ["deliver", "--version"]]) expect(await said(...call)).toMatch(/^\d+\.\d+\.\d+\n$/);
  const words = await said("help", "words");
  for (const [word] of GLOSSARY) expect(words).toContain(`\n${word}\n`.slice(word === GLOSSARY[0]?.[0] ? 1 : 0));
  const page = await said("help", "man");
  for (const name of names) expect(page).toContain(`\n.SS rcourier ${name}`);
}); // prettier-ignore

test("a word from elsewhere is answered with the command that does it here, and runs nothing", async () => {
  const project = openProject();
  const said = async (...args: string[]): Promise<string> => {
    const { exit, stdout, stderr } = await project.run(args);
    expect([args, exit, stdout]).toEqual([args, 2, ""]);
    return stderr;
  };
  expect(await said("deploy")).toContain("there is no command deploy; here that is rcourier deliver\n");
  expect(await said("rollback", "--to", "production")).toContain("here that is rcourier redeliver previous\n");
  expect(await said("login")).toContain("there is nothing to log in to");
  expect(await said("help", "status")).toContain("here that is rcourier releases\n");
  expect(await said("compair")).toContain("did you mean compare?");
  expect(await said("compare", "--to", "practise")).toContain("did you mean --to practice?");
  for (const name of names) expect(findMeant(name)).toBeUndefined();
  const { stdout } = await project.run(["deploy", "--format", "json"]);
  expect(JSON.parse(stdout)).toMatchObject({ error: { code: "usage", message: expect.stringContaining("rcourier deliver") as string } });
}); // prettier-ignore

test("settings are found further up in the same project, and never above it", async () => {
  const project = openProject();
  const inner = join(project.folder, "packages/site");
  mkdirSync(inner, { recursive: true });
  const above = temporaryFolder("above");
  writeFiles(above, { "courier.yaml": SETTINGS, "project/package.json": "{}", "project/src/.keep": "" });
  const before = project.folder;
  Object.assign(project, { folder: inner });
  expect((await project.run(["deliver", "--quiet"])).stdout).toContain("release 1 is delivered");
  expect((await project.run(["releases"])).stderr).toBe(`the settings are those in ${join("../../courier.yaml")}\n`);
  Object.assign(project, { folder: join(above, "project/src") });
  const alone = await project.run(["deliver"]);
  expect([alone.exit, alone.stderr]).toEqual([2, expect.stringMatching(/there is no settings file courier\.yaml\n {2}rcourier setup writes one/)]);
  // One that is named is just that one.
  Object.assign(project, { folder: inner });
  expect((await project.run(["deliver", "--settings", "./courier.yaml"])).exit).toBe(2);
  Object.assign(project, { folder: before });
}); // prettier-ignore

test("completion knows commands, options, their values, destinations and releases, and is silent where it knows nothing", async () => {
  const project = openProject();
  await project.run(["deliver", "--quiet"]);
  const complete = async (...words: string[]): Promise<string[]> => {
    const { exit, stdout, stderr } = await project.run(["completion", "candidates", "--", ...words]);
    expect([words, exit, stderr]).toEqual([words, 0, ""]);
    return stdout.split("\n").filter((line) => line !== "");
  };
  expect(await complete("de")).toEqual(["deliver", "demo"]);
  expect(await complete("deliver", "--dry")).toEqual(["--dry-run"]);
  expect(await complete("deliver", "--dry-run", "--dry")).toEqual([]);
  expect(await complete("deliver", "--allow", "vanish", "--al")).toEqual(["--all", "--allow"]);
  expect(await complete("deliver", "--to", "pr")).toEqual(["practice", "production"]);
  expect(await complete("redeliver", "")).toEqual(["1", "current", "previous"]);
  expect(await complete("redeliver", "--to", "production", "")).toEqual(["current", "previous"]);
  expect(await complete("verify", "--format", "j")).toEqual(["json", "junit"]);
  expect(await complete("help", "wor")).toEqual(["words"]);
  expect(await complete("explain", "")).toEqual([]);
  expect(await complete("deliver", "--settings", "nowhere.yaml", "--to", "")).toEqual([]);
  expect(await complete("deliver", "--he")).toEqual(["--help"]);
  expect((await project.run(["completion", "tcsh"])).exit).toBe(2);
  const silent = { destinations: () => Promise.resolve([]), releases: () => Promise.resolve([]), previews: () => Promise.resolve(["spring-fares"]) };
  expect(await findCandidates(["previews", "--remove", "s"], COMMANDS, silent)).toEqual(["spring-fares"]);
}); // prettier-ignore

test("bash completes with the script that is printed for it", async () => {
  const project = openProject();
  const script = (await project.run(["completion", "bash"])).stdout;
  // The program stands in for itself: it says which words it was asked about.
  const words = `rcourier() { shift 3; printf '%s\\n' "--seen" "$@"; }; COMP_WORDS=(rcourier deliver --to 'p r'); COMP_CWORD=3; _rcourier`;
  const found = execFileSync("bash", ["-c", `${script}\n${words}; printf '[%s]' "\${COMPREPLY[@]}"`], { encoding: "utf8" });
  expect(found).toBe("[--seen][deliver][--to][p r]");
  expect((await project.run(["completion", "zsh"])).stdout).toMatch(/^#compdef rcourier/);
}); // prettier-ignore

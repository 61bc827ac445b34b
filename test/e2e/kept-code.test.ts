import { chmodSync, readFileSync, readdirSync, statSync, utimesSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { writeFiles } from "../support/builds.ts";
import { needing } from "../support/needing.ts";
import { NO_KEYS, Project, type Outcome } from "../support/program.ts";

const SETTINGS = `site: Pelican Sound Ferries
build: { folder: public }
destinations: { shelf: { store: { kind: folder, folder: shelf } } }
`;

/** A project of one page, and where its program keeps what it compiled. */
function newProject(): { project: Project; folder: string; files: () => string[] } {
  const project = new Project(SETTINGS, NO_KEYS);
  writeFiles(project.folder, { "public/index.html": "<p>Timetable" });
  const folder = join(project.folder, ".cache/restless-courier/compiled");
  return { project, folder, files: () => readdirSync(folder).map((name) => join(folder, name)) };
}

/** A home of its own. */
const run = (project: Project, ...args: string[]): Promise<Outcome> =>
  project.run(args, { HOME: project.folder });

const survey = async (project: Project): Promise<string> => {
  const { exit, stdout, stderr } = await run(project, "survey");
  return exit === 0 ? stdout : `exit ${exit}: ${stderr}`;
};

test("what a call compiled is kept for the next one of its command, and kept anew where that needs more", async () => {
  const { project, files } = newProject();
  expect((await run(project, "survey", "--nothing")).exit).toBe(2);
  const [file = ""] = files();
  expect(file).toMatch(/-survey$/);
  // Two Nodes that have patched one version of V8 differently crash on each other's code.
  expect(file).toContain(`-${process.version}-${process.arch}-`);
  const little = statSync(file).size;
  const first = await survey(project);
  expect(first).toContain("index.html");
  expect(statSync(file).size).toBeGreaterThan(1.3 * little);
  const { ino } = statSync(file);
  expect(await survey(project)).toBe(first);
  expect(statSync(file).ino).toBe(ino);
  await run(project, "--help");
  expect(files().map((name) => name.replace(/^.*-/, ""))).toEqual(["other", "survey"]);
});

needing("a POSIX shell", "modes of files")(
  "it is kept and taken where new files are open to the group as well",
  async () => {
    const { project, files } = newProject();
    const survey = () =>
      project.run(["survey"], { HOME: project.folder }, ["sh", "-c", 'umask 002; exec "$@"', "sh"]);
    await survey();
    const [file = ""] = files();
    const { ino } = statSync(file);
    await survey();
    expect(statSync(file).ino).toBe(ino);
  },
);

needing("modes of files")(
  "kept code that others may write is made anew: it could be a program of theirs",
  async () => {
    const { project, files } = newProject();
    const first = await survey(project);
    const [file = ""] = files();
    chmodSync(file, 0o666);
    expect(await survey(project)).toBe(first);
    expect(statSync(file).mode & 0o022).toBe(0);
  },
);

test("kept code that is damaged, cut, another's, old or in the way costs its time and nothing else", async () => {
  const { project, folder, files } = newProject();
  const first = await survey(project);
  const [file = ""] = files();
  const whole = readFileSync(file);
  const damaged = Buffer.from(whole);
  damaged.fill(7, 5000, 90_000);
  for (const wrong of [damaged, whole.subarray(0, 70_000), Buffer.alloc(0)]) {
    writeFileSync(file, wrong);
    expect(await survey(project)).toBe(first);
    expect(statSync(file).size).toBeGreaterThan(0.9 * whole.length);
  }

  const old = join(folder, "of-an-older-version");
  writeFileSync(old, "x");
  utimesSync(old, 1e9, 1e9);
  writeFileSync(file, "x");
  expect(await survey(project)).toBe(first);
  expect(files()).toEqual([file]);

  const blocked = newProject();
  writeFiles(blocked.project.folder, { ".cache/restless-courier": "a file" });
  expect(await survey(blocked.project)).toBe(first);
});

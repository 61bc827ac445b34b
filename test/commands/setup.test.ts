import { readFileSync, writeFileSync } from "node:fs";
import { join, resolve } from "node:path";
import type { Policy } from "../../src/core/model/policy.ts";
import { temporaryFolder, writeFiles } from "../support/builds.ts";
import { ProjectHere } from "../support/called-here.ts";
import { NO_KEYS, useSandboxes } from "../support/program.ts";

const BUILDS = resolve("demo/builds");

const startSandbox = useSandboxes();

/** A project without settings, as a newcomer has it. */
function newProject(files: Record<string, string>): ProjectHere {
  const project = new ProjectHere("", NO_KEYS);
  writeFiles(project.folder, files);
  return project;
}

test.each([
  ["a build that is there", { "dist/index.html": "<title>Fares | Pelican Sound Ferries</title>" }, "dist", "Fares"],
  ["a toolchain's usual folder", { "astro.config.mjs": "", "package.json": '{"name":"@pelican/sound-web"}' }, "dist", "Sound Web"],
  ["a folder below", { "angular.json": "{}", "dist/web/browser/index.html": "<title>Boats</title>" }, "dist/web/browser", "Boats"],
  ["the only page there is", { "html/index.html": "<title>Quay</title>" }, "html", "Quay"],
  ["a repository's name", { "html/index.html": "", ".git/config": '[core]\n[remote "origin"]\n\turl = git@127.0.0.1:boats/tide-tables.git\n\tfetch = x\n' }, "html", "Tide Tables"],
])("setup finds %s, writes settings that the tool can read, and can be run again", async (_, files, folder, site) => {
  const project = newProject(files);
  const settings = join(project.folder, "made.yaml");
  const given = ["--settings", "made.yaml", "--yes", "--bucket", "pelican-sound-web", "--region", "eu-west-1"];
  const first = await project.run(["setup", ...given, "--edge", "distribution:EXAMPLE0000001", "--url", "https://www.pelicansound.example"]);
  expect([first.exit, first.stderr]).toEqual([0, ""]);
  expect(first.stdout).toContain("rcourier deliver --settings made.yaml\n");
  const text = readFileSync(settings, "utf8");
  expect(text).toContain(`folder: ${folder} `);
  expect(text).toContain(`site: ${site}\n`);
  const again = await project.run(["setup", ...given]);
  expect([again.exit, again.stdout]).toEqual([0, expect.stringContaining("nothing was added")]);
  expect(readFileSync(settings, "utf8")).toBe(text);
  const added = await project.run(["setup", ...given, "--destination", "staging", "--prefix", "staging/", "--edge", "purge:http://127.0.0.1:9"]);
  expect([added.exit, added.stdout]).toEqual([0, expect.stringContaining("the destination staging is added to the settings")]);
  // What stood there stands there still, comments included.
  expect(readFileSync(settings, "utf8").startsWith(text.trimEnd())).toBe(true);
  const policy = await project.run(["policy", "--settings", "made.yaml", "--to", "staging"]);
  expect([policy.exit, policy.stdout]).toEqual([0, expect.stringContaining("pelican-sound-web/staging/*")]);
}); // prettier-ignore

test("an app that scripts make gets client routes; editors find the schema; a script is added where it is asked for", async () => {
  const app = '<!doctype html><title>Boats</title><body><div id="app"></div><script src="a.js"></script></body>';
  const project = newProject({ "dist/index.html": app, "dist/404.html": "<p>Not here</p>", "package.json": '{\n  "name": "boats"\n}\n', "node_modules/restless-courier/courier.schema.json": "{}" });
  const given = ["--yes", "--bucket", "pelican-sound-web", "--region", "eu-west-1", "--edge", "distribution"];
  expect((await project.run(["setup", "--settings", "a.yaml", ...given])).exit).toBe(0);
  const text = readFileSync(join(project.folder, "a.yaml"), "utf8");
  expect(text.split("\n")[0]).toBe("# yaml-language-server: $schema=./node_modules/restless-courier/courier.schema.json");
  expect(text).toContain("\n  clientRoutes: true ");
  expect(text).toContain("\n    edge: { kind: distribution }\n");
  const manifest = (): string => readFileSync(join(project.folder, "package.json"), "utf8");
  expect(manifest()).not.toContain("rcourier");
  await project.run(["setup", "--settings", "b.yaml", "--script", "yes", "--client-routes", "no", ...given]);
  expect(manifest()).toContain('"deliver": "rcourier deliver"');
  expect(readFileSync(join(project.folder, "b.yaml"), "utf8")).toContain("\n  # clientRoutes: true ");
}); // prettier-ignore

test("setup without a terminal names what is missing; a wrong answer is said; nothing is written", async () => {
  const project = newProject({ "dist/index.html": "x" });
  const call = (...args: string[]) => project.run(["setup", "--settings", "made.yaml", ...args]);
  expect(await call()).toMatchObject({
    exit: 2,
    stderr: expect.stringContaining("--bucket is missing") as string,
  });
  expect(await call("--bucket", "pelican", "--region", "eu-west-1", "--edge", "cdn")).toMatchObject({ exit: 2, stderr: expect.stringContaining("distribution:ID") as string }); // prettier-ignore
  const shown = await call("--bucket", "pelican", "--region", "eu-west-1", "--edge", "none", "--dry-run");
  expect([shown.exit, shown.stdout]).toEqual([0, expect.stringContaining("bucket: pelican")]);
  expect(await call("--bucket", "pelican", "--region", "eu-west1")).toMatchObject({
    exit: 2,
    stderr: expect.stringContaining("should be the name of a region") as string,
  });
  expect(() => readFileSync(join(project.folder, "made.yaml"))).toThrow();
});

test("read policies keep the tool's own part from the public; the delivery in CI holds no secret", async () => {
  const sandbox = await startSandbox("--origin", "website");
  const project = new ProjectHere(sandbox.settings(`${BUILDS}/1`), sandbox.facts);
  await project.result(["deliver"]);
  const { stdout } = await project.run(["policy", "public"]);
  const { endpoint, bucket } = sandbox.facts;
  const policy = JSON.parse(stdout) as Policy;
  expect(policy.Statement).toEqual([expect.objectContaining({ Principal: "*", NotResource: [`arn:aws:s3:::${bucket}/.courier/*`, `arn:aws:s3:::${bucket}/*/.courier/*`] })]); // prettier-ignore
  expect(endpoint).toContain("127.0.0.1");
  for (const place of ["github", "gitlab", "shell"]) {
    const shown = await project.run(["policy", "workflow", "--for", place]);
    expect([shown.exit, shown.stdout]).toEqual([
      0,
      expect.stringContaining("rcourier deliver --to practice"),
    ]);
    expect(shown.stdout).not.toContain(sandbox.facts.secretAccessKey);
  }
  expect((await project.run(["policy", "shell"])).stderr).toContain("rcourier policy workflow --for shell");
  expect((await project.run(["policy", "public", "--for", "shell"])).exit).toBe(2);
  expect((await project.run(["policy", "edge"])).exit).toBe(2);
  expect((await project.run(["policy", "nothing"])).exit).toBe(2);
});

test("a recipe names settings that stand in a folder within the package, and knows the branch of a second worktree", async () => {
  const root = temporaryFolder("worktree");
  const project = newProject({});
  writeFiles(root, {
    "fares/site/courier.yaml": "site: Pelican Sound Ferries\nbuild: { folder: dist }\ndestinations:\n  live: { store: { kind: folder, folder: root } }\n", // prettier-ignore
    "main/.git/worktrees/fares/HEAD": "ref: refs/heads/fares\n",
    "main/.git/worktrees/fares/commondir": "../..\n",
    "fares/.git": "gitdir: ../main/.git/worktrees/fares\n",
    "fares/package.json": "{}",
  });
  const print = async (): Promise<string> =>
    (await project.run(["policy", "workflow", "--for", "github"])).stdout;
  Object.assign(project, { folder: join(root, "fares/site/pages") });
  writeFiles(project.folder, { "a.html": "" });
  expect(await print()).toMatch(
    /branches: \[fares\][^]*rcourier deliver --settings site\/courier.yaml --to live/,
  );
  writeFiles(root, { "main/.git/refs/remotes/origin/HEAD": "ref: refs/remotes/origin/trunk\n" });
  expect(await print()).toContain("branches: [trunk]");
});

test("settings as editors and shells of Windows write them: UTF-16, line ends that stay, folders by a backslash, no other letters", async () => {
  const page = `<img src="caf\u00e9.svg"><a href="p\u00e9age.html">Toll</a>`;
  const project = newProject({ "dist/index.html": page, "dist/cafe\u0301.svg": "<svg/>", "dist/pe\u0301age.html": "", ".gitignore": "node_modules\r\n" }); // prettier-ignore
  const text = "site: Pelican Sound Ferries\r\nbuild: { folder: dist }\r\ndestinations:\r\n  live: { store: { kind: folder, folder: root } }\r\n"; // prettier-ignore
  const write = (name: string, bytes: Buffer): void => {
    writeFileSync(join(project.folder, name), bytes);
  };
  const mark = (order: "le" | "be"): Buffer => {
    const bytes = Buffer.from(`\ufeff${text}`, "utf16le");
    return order === "le" ? bytes : bytes.swap16();
  };
  write("le.yaml", mark("le"));
  write("be.yaml", mark("be"));
  write("latin.yaml", Buffer.from(text.replace("Pelican", "P\u00e9lican"), "latin1"));
  write("courier.yaml", Buffer.from(text));
  write("slash.yaml", Buffer.from(text.replace("dist }", "dist, exclude: [assets\\*] }")));
  // The names of the picture and of the page look like those in the entry page, and are other ones.
  for (const settings of ["le.yaml", "be.yaml", "courier.yaml"]) {
    const { exit, stdout } = await project.run(["survey", "--settings", settings]);
    expect([settings, exit]).toEqual([settings, 0]);
    for (const name of ["cafe\u0301.svg", "pe\u0301age.html"])
      expect(stdout).toContain(`the build has ${name}, which looks the same but is another name`);
  }
  const said = async (settings: string) => (await project.run(["survey", "--settings", settings])).stderr;
  expect(await said("latin.yaml")).toContain("latin.yaml can't be read: it is not UTF-8: save it as that");
  expect(await said("slash.yaml")).toContain("build.exclude[0]: folders are separated by /, on Windows, too");
  expect((await project.run(["setup", "--yes", "--destination", "practice", "--sandbox"])).exit).toBe(0);
  for (const file of ["courier.yaml", ".gitignore"]) {
    const written = readFileSync(join(project.folder, file), "utf8");
    expect([file, /practice|sandbox/.test(written), /(^|[^\r])\n/.test(written)]).toEqual([
      file,
      true,
      false,
    ]);
  }
});

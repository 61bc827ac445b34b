import { readFileSync } from "node:fs";
import { join, resolve } from "node:path";
import { parse } from "yaml";
import { writeFiles } from "../support/builds.ts";
import { Project, RunningSandbox, type Outcome } from "../support/program.ts";
import { readResult } from "../support/results.ts";

/** What `policy workflow` prints is run as it stands: by a shell, with the package manager, in a repository. */

let sandbox: RunningSandbox;
beforeAll(async () => {
  sandbox = await RunningSandbox.start(["--origin", "website"]);
});
afterAll(() => sandbox.stop());

const PACKAGE = {
  ...{ name: "ferries", version: "1.0.0", scripts: { build: "node build.mjs" } },
  devDependencies: { "restless-courier": "file:tool" },
};
const TOOL = { name: "restless-courier", version: "0.0.1", type: "module", bin: { rcourier: "main.js" } };
const BUILD = `import { mkdirSync, writeFileSync } from "node:fs";
mkdirSync("dist", { recursive: true });
writeFileSync("dist/index.html", "<title>Pelican Sound Ferries</title>" + process.pid);
`;
/** The tool comes from a folder beside it: nothing is fetched. */
const ALONE = { npm_config_offline: "true", npm_config_audit: "false", npm_config_update_notifier: "false" };

class Repository {
  readonly project: Project;

  constructor(prefix: string) {
    this.project = new Project(sandbox.settings("dist", `    url: ${sandbox.facts.edge}/${prefix}`, prefix), sandbox.facts);
    writeFiles(this.project.folder, {
      "package.json": JSON.stringify(PACKAGE),
      "build.mjs": BUILD,
      ".gitignore": "node_modules\n",
      "tool/package.json": JSON.stringify(TOOL),
      "tool/main.js": `#!/usr/bin/env node\nimport ${JSON.stringify(resolve("dist/main.js"))};\n`,
    });
  }

  async prepare(): Promise<void> {
    const lines = ["git init -q -b main", "git add -A"];
    const commit = "git -c user.name=ferries -c user.email=ferries@pelican.test commit -q -m first";
    await this.call(["npm install --package-lock-only", ...lines, commit].join("\n"));
  }

  /** Lines of a shell that must succeed. */
  async call(lines: string, environment: NodeJS.ProcessEnv = {}): Promise<Outcome> {
    const outcome = await this.project.run([], { ...ALONE, ...environment }, ["bash", "-ec", lines]);
    expect([lines, outcome.exit, outcome.exit === 0 ? "" : outcome.stdout + outcome.stderr]).toEqual([lines, 0, ""]);
    return outcome;
  }

  /** Prints a recipe to a file in a folder that is not there yet. @returns its text */
  async print(place: string, file: string): Promise<string> {
    const { exit, stderr } = await this.project.run(["policy", "workflow", "--for", place, "--output", file]);
    expect([exit, stderr]).toEqual([0, ""]);
    return readFileSync(join(this.project.folder, file), "utf8");
  }

  async releases(): Promise<unknown[]> {
    const { stdout } = await this.project.run(["releases", "--format", "json"]);
    return readResult("releases", stdout).releases;
  }
} // prettier-ignore

test("for GitHub: each step is run, with its environment", async () => {
  const repository = new Repository("github/");
  await repository.prepare();
  const text = await repository.print("github", ".github/workflows/deliver.yml");
  const { on, jobs } = parse(text) as {
    on: { push: unknown };
    jobs: { deliver: { steps: { run?: string; env?: Record<string, string> }[] } };
  };
  expect(on.push).toEqual({ branches: ["main"] });
  const secrets: Record<string, string> = {
    "${{ secrets.DELIVERY_KEY_ID }}": sandbox.facts.accessKeyId,
    "${{ secrets.DELIVERY_SECRET }}": sandbox.facts.secretAccessKey,
  };
  for (const { run, env = {} } of jobs.deliver.steps) {
    const filled = Object.entries(env).map(([name, value]) => [name, secrets[value] ?? value]);
    if (run !== undefined) await repository.call(run, Object.fromEntries(filled) as NodeJS.ProcessEnv);
  }
  expect(await repository.releases()).toMatchObject([{ release: 1 }]);
});

test("for GitLab: the script is run, with what was fetched in the project's folder", async () => {
  const repository = new Repository("gitlab/");
  await repository.prepare();
  const text = await repository.print("gitlab", "ci/deliver.yml");
  const { "deliver-practice": job } = parse(text) as {
    "deliver-practice": { script: string[]; cache: { paths: string[] } };
  };
  await repository.call(job.script.join("\n"), { CI_PROJECT_DIR: repository.project.folder });
  expect(await repository.releases()).toMatchObject([{ release: 1 }]);
});

test("for a shell: the branch decides, and the commit is recorded", async () => {
  const repository = new Repository("shell/");
  await repository.prepare();
  const script = await repository.print("shell", "ci/deliver.sh");
  expect(script).not.toContain(sandbox.facts.secretAccessKey);
  const elsewhere = await repository.call("sh ci/deliver.sh", { BRANCH: "spring-fares" });
  expect(elsewhere.stderr).toBe("nothing is delivered: this is spring-fares\n");
  await repository.call("sh ci/deliver.sh");
  const { stdout } = await repository.call("git rev-parse HEAD");
  expect(await repository.releases()).toMatchObject([{ release: 1, commit: stdout.trim() }]);
});

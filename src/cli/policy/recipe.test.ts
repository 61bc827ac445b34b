import { parse } from "yaml";
import { toGithub, toGitlab, toShell, type Manager, type Recipe } from "./recipe.ts";

const recipeOf = (manager: Partial<Manager>, more: Partial<Recipe["project"]> = {}): Recipe => ({
  project: {
    ...{ folder: "/ferries/site", inRepository: "", branch: "main", hasBuild: true, nodeFile: undefined },
    manager: { name: "npm", lock: "package-lock.json", isClassic: false, ...manager },
    ...more,
  },
  ...{ destination: "production", options: "--to production", branch: "main", role: undefined },
});

interface Workflow {
  readonly on: unknown;
  readonly permissions: unknown;
  readonly jobs: {
    readonly deliver: { readonly steps: readonly Record<string, unknown>[] } & Record<string, unknown>;
  };
}
const github = (recipe: Recipe): Workflow => parse(toGithub(recipe)) as Workflow;
const gitlab = (recipe: Recipe): Record<string, unknown> =>
  (parse(toGitlab(recipe)) as Record<string, Record<string, unknown>>)["deliver-production"] ?? {};

const MANAGERS: readonly (readonly [Partial<Manager>, readonly string[]])[] = [
  [{}, ["npm ci", "npm run build", "npx --no-install rcourier deliver"]],
  [{ lock: undefined }, ["npm install", "npm run build", "npx --no-install rcourier deliver"]],
  [
    { name: "pnpm", lock: "pnpm-lock.yaml" },
    ["corepack enable", "pnpm install --frozen-lockfile", "pnpm run build", "pnpm exec rcourier deliver"],
  ],
  [
    { name: "yarn", lock: "yarn.lock" },
    ["corepack enable", "yarn install --immutable", "yarn run build", "yarn run rcourier deliver"],
  ],
  [
    { name: "yarn", lock: "yarn.lock", isClassic: true },
    ["corepack enable", "yarn install --frozen-lockfile", "yarn run build", "yarn run rcourier deliver"],
  ],
  [
    { name: "bun", lock: "bun.lock" },
    [
      "npm install --global bun",
      "bun install --frozen-lockfile",
      "bun run build",
      "bunx --no-install rcourier deliver",
    ],
  ],
];

test.each(MANAGERS)("%o is called in each recipe, in its order", (manager, wanted) => {
  const recipe = recipeOf(manager);
  const called = [
    github(recipe).jobs.deliver.steps.flatMap(({ run }) => (typeof run === "string" ? [run] : [])),
    gitlab(recipe).script as string[],
    toShell(recipe).split("\n").filter((line) => /^(\$limit )?(npm|npx|pnpm|yarn|bunx?|corepack) /.test(line)),
  ]; // prettier-ignore
  for (const lines of called) {
    const plain = lines.map((line) => line.replace("$limit ", "").replace(/^YARN_\w+=false YARN_\w+="[^"]*" /, "").replace(/ --(cache|store-dir|cache-folder) "[^"]*"/, ""));
    expect(plain).toHaveLength(wanted.length);
    wanted.forEach((start, index) => { expect(plain[index]?.startsWith(start)).toBe(true); });
  } // prettier-ignore
});

test("a project in a folder of its repository, with a role, settings and a branch of its own", () => {
  const role = "arn:aws:iam::123456789012:role/deliver";
  const inside = { inRepository: "web site", nodeFile: "web site/.nvmrc", hasBuild: false };
  const recipe = {
    ...recipeOf({ lock: "web site/package-lock.json" }, inside),
    ...{ role, branch: "release/next", options: "--settings 'my settings.yaml' --to production" },
  };
  const { on, permissions, jobs } = github(recipe);
  expect(on).toEqual({ push: { branches: ["release/next"] }, workflow_dispatch: null });
  expect(permissions).toEqual({ contents: "read", "id-token": "write" });
  const { steps, defaults, if: condition } = jobs.deliver;
  expect([defaults, condition]).toEqual([
    { run: { "working-directory": "web site" } },
    "github.ref_name == 'release/next'",
  ]);
  expect(steps[1]?.with).toEqual({
    ...{ "node-version-file": "web site/.nvmrc", cache: "npm" },
    "cache-dependency-path": "web site/package-lock.json",
  });
  expect(steps.at(-1)).toMatchObject({
    run: "npx --no-install rcourier deliver --settings 'my settings.yaml' --to production --yes --queue 10m --verify",
    env: { AWS_ROLE_ARN: role },
  });
  const job = gitlab(recipe);
  expect(job).toMatchObject({
    rules: [{ if: '$CI_COMMIT_BRANCH == "release/next"' }],
    id_tokens: { WEB_IDENTITY: { aud: "sts.amazonaws.com" } },
    variables: { AWS_ROLE_ARN: role },
    cache: { key: { files: ["web site/package-lock.json"] }, paths: [".npm/"] },
  });
  expect((job.script as string[])[0]).toBe('cd "web site"');
  for (const text of [toGithub(recipe), toGitlab(recipe), toShell(recipe)])
    expect(text).toMatch(/run build +# package.json has no script "build"/);
});

import { stringify } from "yaml";

/** What reads a project's lock file. */
export interface Manager {
  readonly name: "npm" | "pnpm" | "yarn" | "bun";
  /** Its lock file, from the repository's root; undefined: there is none. */
  readonly lock: string | undefined;
  /** Whether a `yarn.lock` is one of version 1. */
  readonly isClassic: boolean;
}

/** A project as a recipe sees it. */
export interface Project {
  /** Where its `package.json` is. */
  readonly folder: string;
  /** The same from the root of its repository; empty: there. */
  readonly inRepository: string;
  readonly manager: Manager;
  readonly branch: string;
  readonly hasBuild: boolean;
  /** The file that says which Node it needs, from the repository's root. */
  readonly nodeFile: string | undefined;
}

export interface Recipe {
  readonly project: Project;
  readonly destination: string;
  /** The options of `deliver` that name settings and destination. */
  readonly options: string;
  /** The only branch that is delivered. */
  readonly branch: string;
  /** A role that the run takes on with an identity of its own: then there is no secret at all. */
  readonly role: string | undefined;
}

/** Long enough for the wait for another delivery, and for an edge that confirms slowly. */
const MINUTES = 45;
const NO_BUILD = 'package.json has no script "build": put the command of your build here';
const NO_LOCK = "commit a lock file, so that every run installs the same";

/** How a package manager is called. */
const CALLS = {
  npm: { run: "npm run build", exec: "npx --no-install rcourier" },
  pnpm: { run: "pnpm run build", exec: "pnpm exec rcourier" },
  yarn: { run: "yarn run build", exec: "yarn run rcourier" },
  bun: { run: "bun run build", exec: "bunx --no-install rcourier" },
} as const;

/** What has to be there before it can install; undefined: nothing. */
const toReady = ({ name }: Manager): string | undefined =>
  name === "npm" ? undefined : name === "bun" ? "npm install --global bun" : "corepack enable";

/** Just what the lock file says. @param cache a folder for what was fetched; undefined: its own */
function toInstall({ name, lock, isClassic }: Manager, cache?: string): string {
  switch (name) {
    case "npm": {
      const own = cache === undefined ? "" : ` --cache ${cache} --prefer-offline`;
      return lock === undefined ? `npm install${own}` : `npm ci${own}`;
    }
    case "pnpm":
      return `pnpm install --frozen-lockfile${cache === undefined ? "" : ` --store-dir ${cache}`}`;
    case "yarn": {
      if (isClassic)
        return `yarn install --frozen-lockfile${cache === undefined ? "" : ` --cache-folder ${cache}`}`;
      const own = cache === undefined ? "" : `YARN_ENABLE_GLOBAL_CACHE=false YARN_CACHE_FOLDER=${cache} `;
      return `${own}yarn install --immutable`;
    }
    case "bun":
      return "bun install --frozen-lockfile";
  }
}

const toDeliver = ({ project, options }: Recipe): string =>
  `${CALLS[project.manager.name].exec} deliver ${options} --yes --queue 10m --verify`;

/** A text as YAML has it on one line. */
const scalar = (text: string): string => stringify(text, { lineWidth: 0 }).trimEnd();

const remarked = (line: string, remark: string | false): string =>
  remark === false ? line : `${line}   # ${remark}`;

/** A workflow in the form that GitHub reads: `.github/workflows/deliver.yml`. */
export function toGithub(recipe: Recipe): string {
  const { project, destination, branch, role } = recipe;
  const { manager, inRepository, nodeFile } = project;
  const ready = toReady(manager);
  const lock = manager.name === "bun" ? undefined : manager.lock;
  const node = [
    nodeFile === undefined
      ? "          node-version: lts/*"
      : `          node-version-file: ${scalar(nodeFile)}`,
    ...(lock === undefined ? [] : [`          cache: ${manager.name}`]),
    ...(lock === undefined || inRepository === ""
      ? []
      : [`          cache-dependency-path: ${scalar(lock)}`]),
  ];
  const step = (command: string): string => `      - run: ${scalar(command)}`;
  return [
    "# .github/workflows/deliver.yml",
    `# Delivers ${branch} to ${destination}.`,
    "name: deliver",
    "on:",
    `  push: { branches: [${scalar(branch)}] }`,
    "  workflow_dispatch:",
    "# One delivery at a time. One that has begun goes on to its end.",
    `concurrency: { group: deliver-${destination}, cancel-in-progress: false }`,
    "permissions:",
    "  contents: read",
    ...(role === undefined
      ? []
      : ["  id-token: write   # the run proves who it is, and gets keys for an hour"]),
    "jobs:",
    "  deliver:",
    "    runs-on: ubuntu-latest",
    `    if: ${scalar(`github.ref_name == '${branch}'`)}`,
    `    timeout-minutes: ${MINUTES}`,
    ...(inRepository === "" ? [] : [`    defaults: { run: { working-directory: ${scalar(inRepository)} } }`]),
    "    steps:",
    "      - uses: actions/checkout@v4",
    ...(ready === undefined ? [] : [step(ready)]),
    "      - uses: actions/setup-node@v4",
    "        with:",
    ...node,
    remarked(step(toInstall(manager)), manager.lock === undefined && NO_LOCK),
    remarked(step(CALLS[manager.name].run), !project.hasBuild && NO_BUILD),
    ...(role === undefined ? [] : GITHUB_IDENTITY),
    step(toDeliver(recipe)),
    "        env:",
    ...(role === undefined
      ? [
          "          AWS_ACCESS_KEY_ID: ${{ secrets.DELIVERY_KEY_ID }}",
          "          AWS_SECRET_ACCESS_KEY: ${{ secrets.DELIVERY_SECRET }}",
        ]
      : [
          `          AWS_ROLE_ARN: ${role}`,
          "          AWS_WEB_IDENTITY_TOKEN_FILE: ${{ runner.temp }}/web-identity",
        ]),
    "",
  ].join("\n");
}

const GITHUB_IDENTITY = [
  "      - name: an identity for this run",
  "        run: |",
  '          curl -sSf -H "Authorization: bearer $ACTIONS_ID_TOKEN_REQUEST_TOKEN" "$ACTIONS_ID_TOKEN_REQUEST_URL&audience=sts.amazonaws.com" \\',
  `            | node -pe 'JSON.parse(require("fs").readFileSync(0, "utf8")).value' >"$RUNNER_TEMP/web-identity"`,
];

/** The folders in which GitLab keeps what a package manager has fetched. */
const GITLAB_CACHES = { npm: ".npm", pnpm: ".pnpm-store", yarn: ".yarn/cache", bun: undefined } as const;

/** A job in the form that GitLab reads: `.gitlab-ci.yml`. */
export function toGitlab(recipe: Recipe): string {
  const { project, destination, branch, role } = recipe;
  const { manager, inRepository } = project;
  const ready = toReady(manager);
  const cache = GITLAB_CACHES[manager.name];
  const line = (command: string): string => `    - ${scalar(command)}`;
  return [
    "# .gitlab-ci.yml",
    `# Delivers ${branch} to ${destination}. ${
      role === undefined
        ? "AWS_ACCESS_KEY_ID and AWS_SECRET_ACCESS_KEY are variables of the project: masked and protected."
        : "It needs no secret."
    }`,
    `deliver-${destination}:`,
    "  image: node:lts",
    "  rules:",
    `    - if: ${scalar(`$CI_COMMIT_BRANCH == ${JSON.stringify(branch)}`)}`,
    `  resource_group: deliver-${destination}   # one delivery at a time`,
    "  interruptible: false   # one that has begun goes on to its end",
    `  timeout: ${MINUTES} minutes`,
    ...(role === undefined
      ? []
      : [
          "  id_tokens:",
          "    WEB_IDENTITY: { aud: sts.amazonaws.com }",
          "  variables:",
          `    AWS_ROLE_ARN: ${role}`,
        ]),
    ...(cache === undefined || manager.lock === undefined
      ? []
      : ["  cache:", `    key: { files: [${scalar(manager.lock)}] }`, `    paths: [${cache}/]`]),
    "  script:",
    ...(inRepository === "" ? [] : [line(`cd ${JSON.stringify(inRepository)}`)]),
    ...(ready === undefined ? [] : [line(ready)]),
    remarked(
      line(toInstall(manager, cache && `"$CI_PROJECT_DIR/${cache}"`)),
      manager.lock === undefined && NO_LOCK,
    ),
    remarked(line(CALLS[manager.name].run), !project.hasBuild && NO_BUILD),
    ...(role === undefined
      ? []
      : [
          line('umask 077; printf %s "$WEB_IDENTITY" >"$CI_PROJECT_DIR.identity"'),
          line('export AWS_WEB_IDENTITY_TOKEN_FILE="$CI_PROJECT_DIR.identity"'),
        ]),
    line(toDeliver(recipe)),
    "",
  ].join("\n");
}

/** The same for any other place that has a shell: the credentials stand in its environment. */
export function toShell(recipe: Recipe): string {
  const { project, destination, branch } = recipe;
  const { manager } = project;
  const ready = toReady(manager);
  return [
    "#!/bin/sh",
    `# Delivers ${branch} to ${destination}. Call it in the folder of package.json.`,
    "# AWS_ACCESS_KEY_ID and AWS_SECRET_ACCESS_KEY (or a web identity) come from the environment.",
    "set -eu",
    "branch=${BRANCH:-$(git rev-parse --abbrev-ref HEAD)}",
    `if [ "$branch" != ${shellText(branch)} ]; then`,
    `  echo "nothing is delivered: this is $branch" >&2`,
    "  exit 0",
    "fi",
    'if [ -z "${AWS_ACCESS_KEY_ID:-}${AWS_WEB_IDENTITY_TOKEN_FILE:-}" ]; then',
    '  echo "no credentials in the environment" >&2',
    "  exit 7",
    "fi",
    "# A run that hangs must not stand in the way of the next one.",
    'limit=""',
    `if command -v timeout >/dev/null; then limit="timeout ${MINUTES}m"; fi`,
    ...(ready === undefined ? [] : [ready]),
    remarked(toInstall(manager), manager.lock === undefined && NO_LOCK),
    remarked(CALLS[manager.name].run, !project.hasBuild && NO_BUILD),
    `$limit ${toDeliver(recipe)} --commit "\${COMMIT:-$(git rev-parse HEAD)}"`,
    "",
  ].join("\n");
}

const shellText = (text: string): string => `'${text.replaceAll("'", String.raw`'\''`)}'`;

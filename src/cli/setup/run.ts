import { appendFileSync, existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { basename, dirname, join, relative, resolve } from "node:path";
import type { ExitCode } from "../../words/exits.ts";
import { findBuild, guessSiteName, type FoundReason, type ProjectLook } from "../../core/build/find-build.ts";
import { OperatorError } from "../../core/model/failure.ts";
import { lookAtProject } from "../../gather/look-at-project.ts";
import { SANDBOX_DEFAULTS } from "../../sandbox/sandbox.ts";
import { parseSettings, readSettingsText, SETTINGS_FILE, toInvalid } from "../../settings/load.ts";
import {
  addDestination,
  listDestinations,
  toSettingsText,
  type DestinationAnswers,
  type SetupAnswers,
} from "../../settings/write.ts";
import { askText } from "../frame/ask.ts";
import { isSet, text, type Arguments } from "../frame/command.ts";
import { SANDBOX_CREDENTIALS, SANDBOX_FOLDER } from "../wiring/sandbox-credentials.ts";
import { clean, type Terminal } from "../frame/terminal.ts";

/** `setup`. @returns the exit code */
export async function setUp(args: Arguments, terminal: Terminal): Promise<ExitCode> {
  const file = resolve(terminal.folder, text(args, "settings") ?? SETTINGS_FILE);
  const before = readSettingsText(file);
  const name = isSet(args, "sandbox") ? "practice" : (text(args, "destination") ?? "production");
  const shown = relative(terminal.folder, file);
  if (before !== undefined && listDestinations(before).includes(name)) {
    terminal.print(`${shown} has the destination ${name} already: nothing to add\n`);
    return 0;
  }
  const ask = createQuestions(args, terminal);
  const look = lookAtProject(dirname(file));
  const build = before === undefined ? await askBuild(look, { ask, file }) : undefined;
  const destination = isSet(args, "sandbox")
    ? PRACTICE
    : await askDestination(name, { args, terminal, look, ask });
  const after = build ? toSettingsText({ ...build, destination }) : addDestination(before ?? "", destination);
  if (after === undefined)
    throw toInvalid([
      {
        path: [],
        what: "there is no block of destinations that one could be added to",
        place: { file: shown, line: 1, column: 1 },
      },
    ]);
  // What is written must be what the tool can read; the variables of others need not be set here.
  parseSettings(after, shown, {
    environment: new Proxy(terminal.environment, { get: (all, key: string) => all[key] ?? "x" }),
  });
  if (isSet(args, "dry-run")) {
    terminal.print(after);
    return 0;
  }
  // A new file is made, never written through a link that leads to where nothing is yet.
  writeFileSync(file, after, { flag: before === undefined ? "wx" : "w" });
  if (isSet(args, "sandbox")) writeSandboxCredentials(dirname(file));
  terminal.print(toFarewell(shown, name, { args, terminal, isNew: before === undefined, look }));
  return 0;
}

type Ask = (option: string, question: string, fallback?: string) => Promise<string>;

/** An answer comes from the call, or from a person, or is what was found. */
function createQuestions(args: Arguments, terminal: Terminal): Ask {
  return async (option, question, fallback) => {
    const given = text(args, option);
    if (given !== undefined) return given;
    if (terminal.canAsk && !isSet(args, "yes")) return askText(question, fallback);
    if (fallback !== undefined) return fallback;
    throw new OperatorError("usage", {
      reason: `--${option} is needed (${question.toLowerCase()}), and there is no terminal to ask at`,
      command: "setup",
    });
  };
}

async function askBuild(
  look: ProjectLook,
  { ask, file }: { readonly ask: Ask; readonly file: string },
): Promise<Omit<SetupAnswers, "destination">> {
  const found = findBuild(look);
  const reason = found ? ` (${showReason(found.reason)})` : "";
  const folder = await ask("build", `Which folder holds the build?${reason}`, found?.folder);
  const site = await ask("site", "What is the site called?", guessSiteName(look) ?? basename(dirname(file)));
  return { site, folder };
}

async function askDestination(
  name: string,
  { args, terminal, look, ask }: DestinationQuestions,
): Promise<DestinationAnswers> {
  const bucket = await ask("bucket", "Which bucket?");
  const endpoint = text(args, "endpoint");
  const { AWS_REGION: usual, AWS_DEFAULT_REGION: other } = terminal.environment;
  const region =
    endpoint === undefined ? await ask("region", "In which region?", usual ?? other) : text(args, "region");
  const url = await ask("url", "Where do visitors reach it? (empty: not known yet)", look.homepage ?? "");
  const edge = await ask(
    "edge",
    "What stands before it: none, distribution (provision makes it), distribution:ID, purge:URL",
    "none",
  );
  // Without an edge visitors ask the store itself, and of its endpoints only a website's knows index documents.
  const serves = text(args, "serves") ?? (edge === "none" && endpoint === undefined ? "website" : undefined);
  return {
    name,
    ...(url === "" ? {} : { url }),
    store: {
      ...{ bucket, region, endpoint, prefix: text(args, "prefix") },
      serves: serves === "website" || serves === "objects" ? serves : undefined,
    },
    edge: parseEdge(edge),
    ask: name === "production",
  };
}

interface DestinationQuestions {
  readonly args: Arguments;
  readonly terminal: Terminal;
  readonly look: ProjectLook;
  readonly ask: Ask;
}

function parseEdge(said: string): DestinationAnswers["edge"] {
  const [kind, value = ""] = said.split(/:(.*)/s);
  if (said === "none" || said === "") return { kind: "none" };
  if (kind === "distribution") return value === "" ? { kind } : { kind, id: value };
  if (kind === "purge" && /^https?:\/\//.test(value)) return { kind, url: value };
  throw new OperatorError("usage", {
    reason: `--edge ${said}: should be none, distribution (provision makes it), distribution:ID, or purge:URL`,
    command: "setup",
  });
}

/** The sandbox as it runs without any option. */
const PRACTICE: DestinationAnswers = {
  name: "practice",
  url: SANDBOX_DEFAULTS.edge,
  store: {
    bucket: SANDBOX_DEFAULTS.bucket,
    region: SANDBOX_DEFAULTS.region,
    endpoint: SANDBOX_DEFAULTS.endpoint,
    profile: "sandbox",
  },
  edge: {
    kind: "distribution",
    endpoint: SANDBOX_DEFAULTS.edgeApi,
    profile: "sandbox",
    // Its store is on the same machine and answers at once.
    settle: "0s",
    longestFetch: "1s",
  },
  ask: false,
};

/** Keys that guard nothing; even so they stand in a file of their own that is kept out of the repository. */
function writeSandboxCredentials(folder: string): void {
  const { accessKeyId, secretAccessKey } = SANDBOX_DEFAULTS;
  mkdirSync(join(folder, SANDBOX_FOLDER), { recursive: true });
  const file = join(folder, SANDBOX_CREDENTIALS);
  // One that is there already keeps its mode, whatever is asked for.
  rmSync(file, { force: true });
  writeFileSync(
    file,
    `[sandbox]\naws_access_key_id = ${accessKeyId}\naws_secret_access_key = ${secretAccessKey}\n`,
    { mode: 0o600, flag: "wx" },
  );
  const ignored = join(folder, ".gitignore");
  const line = `/${SANDBOX_FOLDER}/`;
  const text = existsSync(ignored) ? readFileSync(ignored, "utf8") : "";
  if (!text.split("\n").includes(line))
    appendFileSync(ignored, `${text === "" || text.endsWith("\n") ? "" : "\n"}${line}\n`);
}

interface FarewellFacts {
  readonly args: Arguments;
  readonly terminal: Terminal;
  readonly isNew: boolean;
  readonly look: ProjectLook;
}

/** What was done, and the next thing to do. */
function toFarewell(shown: string, name: string, { args, terminal, isNew, look }: FarewellFacts): string {
  const { style } = terminal;
  const build = findBuild(look);
  const toBuild = build?.isThere === false && text(args, "build") === undefined;
  const file = shown === SETTINGS_FILE ? "" : ` --settings ${shown}`;
  const to = file + (isNew ? "" : ` --to ${name}`);
  const steps = [
    ...(toBuild ? ["build the site: its folder is not there yet"] : []),
    ...(isSet(args, "sandbox")
      ? [`rcourier sandbox --empty --data ${SANDBOX_FOLDER}/data   in another terminal, left running`]
      : []),
    `rcourier provision${to}   makes bucket and edge ready; shows each change first`,
    `rcourier checkup${to}     tries the whole way to a visitor`,
    `rcourier deliver${to}`,
  ];
  return [
    `${style("good", isNew ? "written" : "added")}: ${clean(shown)}${isNew ? "" : `, destination ${name}`}`,
    "",
    style("strong", "next"),
    ...steps.map((step) => `  ${step}`),
    "",
  ].join("\n");
}

function showReason(reason: FoundReason): string {
  switch (reason.code) {
    case "writes":
      return `${reason.name} writes there`;
    case "will-write":
      return `${reason.name} will write there`;
    case "holds-page":
      return "it holds an index.html";
    case "holds-page-alone":
      return "it alone holds an index.html";
  }
}

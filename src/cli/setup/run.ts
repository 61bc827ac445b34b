import { appendFileSync, existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { basename, dirname, join, relative, resolve } from "node:path";
import type { ExitCode } from "../../words/exits.ts";
import { findBuild, guessSiteName, type FoundReason, type ProjectLook } from "../../core/build/find-build.ts";
import { lookAtProject } from "../../gather/look-at-project.ts";
import { SANDBOX_DEFAULTS } from "../../sandbox/sandbox.ts";
import { withLineEndsOf } from "../../settings/line-ends.ts";
import { parseSettings, readSettingsText, SETTINGS_FILE, toInvalid } from "../../settings/load.ts";
import {
  addDestination,
  listDestinations,
  toSettingsText,
  type DestinationAnswers,
  type SetupAnswers,
} from "../../settings/write.ts";
import { ANSWER_CHECKS } from "../../settings/answers.ts";
import { addScript, findPackage } from "./package-script.ts";
import { createQuestions, toWrong, type Ask } from "./questions.ts";
import { askText } from "../frame/ask.ts";
import { isSet, text, type Arguments } from "../frame/command.ts";
import { SANDBOX_CREDENTIALS, SANDBOX_FOLDER } from "../../wiring/sandbox-credentials.ts";
import { clean, type Terminal } from "../frame/terminal.ts";

/** `setup`. @returns the exit code */
export async function setUp(args: Arguments, terminal: Terminal): Promise<ExitCode> {
  const file = resolve(terminal.folder, text(args, "settings") ?? SETTINGS_FILE);
  const before = readSettingsText(file);
  const name = isSet(args, "sandbox") ? "practice" : (text(args, "destination") ?? "production");
  const shown = relative(terminal.folder, file);
  if (before !== undefined && listDestinations(before).includes(name)) {
    terminal.print(`${shown} already has the destination ${name}; nothing was added\n`);
    return 0;
  }
  const questions = createQuestions(args, terminal, askText);
  return questions.keep(() => answerAll(questions.ask, { args, terminal, file, before, name }));
}

interface SetupFacts {
  readonly args: Arguments;
  readonly terminal: Terminal;
  readonly file: string;
  /** Absent: there are no settings yet. */
  readonly before: string | undefined;
  readonly name: string;
}

async function answerAll(ask: Ask, { args, terminal, file, before, name }: SetupFacts): Promise<ExitCode> {
  const shown = relative(terminal.folder, file);
  const look = lookAtProject(dirname(file));
  const build = before === undefined ? await askBuild(look, { ask, file }) : undefined;
  const destination = isSet(args, "sandbox")
    ? { ...PRACTICE, headers: text(args, "headers") === undefined ? undefined : ("strict" as const) }
    : await askDestination(name, { args, terminal, look, ask });
  const made = build ? toSettingsText({ ...build, destination }) : addDestination(before ?? "", destination);
  const after = made === undefined ? undefined : withLineEndsOf(before ?? "", made);
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
  // Whoever asks for no questions has not asked for this either.
  const isAsked = terminal.canAsk && !isSet(args, "yes");
  const manifest = before === undefined ? findPackage(dirname(file)) : undefined;
  const isWanted = manifest !== undefined && (await askScript(ask, isAsked ? "yes" : "no"));
  // A new file is made, never written through a link that leads to where nothing is yet.
  writeFileSync(file, after, { flag: before === undefined ? "wx" : "w" });
  if (isSet(args, "sandbox")) writeSandboxCredentials(dirname(file));
  if (isWanted && !addScript(dirname(file), manifest))
    terminal.say("package.json stays as it is: nothing can be added to it\n");
  terminal.print(toFarewell(shown, name, { args, terminal, isNew: before === undefined, look }));
  return 0;
}

const askScript = async (ask: Ask, fallback: "yes" | "no"): Promise<boolean> =>
  isYes(
    await ask("script", 'Add "deliver": "rcourier deliver" to package.json? (yes or no)', {
      ...{ fallback, check: ANSWER_CHECKS.yesOrNo },
    }),
  );

const isYes = (answer: string): boolean => /^y/i.test(answer);

async function askBuild(
  look: ProjectLook,
  { ask, file }: { readonly ask: Ask; readonly file: string },
): Promise<Omit<SetupAnswers, "destination">> {
  const found = findBuild(look);
  const reason = found ? ` (${showReason(found.reason)})` : "";
  const check = ANSWER_CHECKS.text;
  const folder = await ask("build", `Which folder has the build?${reason}`, {
    fallback: found?.folder,
    check,
  });
  const name = guessSiteName(look) ?? basename(dirname(file));
  const site = await ask("site", "What is the site called?", { fallback: name, check });
  const routes = await ask(
    "client-routes",
    "Is it a single-page app, in which unknown addresses get the entry page? (yes or no)",
    { fallback: look.isMadeByScripts === true ? "yes" : "no", check: ANSWER_CHECKS.yesOrNo },
  );
  const schema = existsSync(join(dirname(file), SCHEMA)) ? `./${SCHEMA}` : undefined;
  return { site, folder, clientRoutes: isYes(routes), schema };
}

/** Editors check the settings by it, where the tool is installed in the project. */
const SCHEMA = "node_modules/restless-courier/courier.schema.json";

async function askDestination(
  name: string,
  { args, terminal, look, ask }: DestinationQuestions,
): Promise<DestinationAnswers> {
  const endpoint = text(args, "endpoint");
  const prefix = text(args, "prefix");
  for (const [option, said, check] of [
    ["endpoint", endpoint, ANSWER_CHECKS.endpoint],
    ["prefix", prefix, ANSWER_CHECKS.prefix],
  ] as const) {
    const mistake = said === undefined ? undefined : check(said);
    if (mistake !== undefined) throw toWrong(`--${option} ${said}: ${mistake}`);
  }
  const isCloud = endpoint === undefined;
  const bucket = await ask("bucket", "Which bucket?", { check: ANSWER_CHECKS.bucket(isCloud) });
  const { AWS_REGION: usual, AWS_DEFAULT_REGION: other } = terminal.environment;
  const region = isCloud
    ? await ask("region", "In which region?", { fallback: usual ?? other, check: ANSWER_CHECKS.region(true) })
    : text(args, "region");
  const url = await ask("url", "What is the public address? (leave empty if it is not known yet)", {
    fallback: look.homepage ?? "",
    check: ANSWER_CHECKS.url,
  });
  const edge = await ask(
    "edge",
    "Which CDN or cache is in front of it? (none, distribution, distribution:ID or purge:URL)",
    { fallback: "none", check: ANSWER_CHECKS.edge },
  );
  // Without an edge visitors ask the store itself, and of its endpoints only a website's knows index documents.
  const serves = text(args, "serves") ?? (edge === "none" && isCloud ? "website" : undefined);
  return {
    name,
    ...(url === "" ? {} : { url }),
    store: {
      ...{ bucket, region, endpoint, prefix },
      serves: serves === "website" || serves === "objects" ? serves : undefined,
    },
    edge: parseEdge(edge),
    headers: toHeaders(text(args, "headers"), edge),
    ask: name === "production",
  };
}

interface DestinationQuestions {
  readonly args: Arguments;
  readonly terminal: Terminal;
  readonly look: ProjectLook;
  readonly ask: Ask;
}

/** Only a distribution is given headers. */
function toHeaders(said: string | undefined, edge: string): DestinationAnswers["headers"] {
  if (said === undefined) return undefined;
  if (!edge.startsWith("distribution"))
    throw toWrong(`--headers ${said}: only a distribution can be given headers (--edge distribution)`);
  return "strict";
}

/** An answer that was checked. */
function parseEdge(said: string): DestinationAnswers["edge"] {
  const [kind, value = ""] = said.split(/:(.*)/s);
  if (kind === "distribution") return value === "" ? { kind } : { kind, id: value };
  return kind === "purge" ? { kind, url: value } : { kind: "none" };
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
  const added = `${text === "" || text.endsWith("\n") ? "" : "\n"}${line}\n`;
  if (!text.split(/\r?\n/).includes(line)) appendFileSync(ignored, withLineEndsOf(text, added));
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
    `rcourier provision${to}   makes bucket and edge ready; shows every change first`,
    `rcourier checkup${to}     tests the way from your credentials to a visitor`,
    `rcourier deliver${to}`,
  ];
  const done = isNew
    ? `the settings are written, with the destination ${name}.`
    : `the destination ${name} is added to the settings.`;
  const [first = "", ...others] = steps;
  return [
    style("strong", clean(shown)),
    done,
    "",
    `${style("strong", "next")}   ${first}`,
    ...others.map((step) => `       ${step}`),
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
      return "it has an index.html";
    case "holds-page-alone":
      return "only this one has an index.html";
  }
}

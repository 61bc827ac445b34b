import { existsSync } from "node:fs";
import { join, relative, resolve, sep } from "node:path";
import type { ExitCode } from "../../words/exits.ts";
import { OperatorError } from "../../core/model/failure.ts";
import type { Policy } from "../../core/model/policy.ts";
import { headOf } from "../../core/addresses/preview-name.ts";
import { canKeepPreviews, toDeliveryPolicy, toReadPolicy, type Readers } from "../../core/bucket/policies.ts";
import { findDistribution } from "../../settings/edge-wishes.ts";
import { distributionsOf } from "../../settings/destination.ts";
import { findSettings } from "../../settings/find.ts";
import { SETTINGS_FILE } from "../../settings/load.ts";
import type { Target } from "../../settings/target.ts";
import { list, text, type Arguments } from "../frame/command.ts";
import { printOutput } from "../frame/output.ts";
import { toGithub, toGitlab, toShell, type Recipe } from "./recipe.ts";
import { readProject } from "./project.ts";
import { quoted } from "../frame/next-call.ts";
import { toCall } from "../frame/session.ts";
import type { Terminal } from "../frame/terminal.ts";
import { readTarget } from "../../wiring/wiring.ts";

/** What can be printed. */
const POLICY_KINDS = ["delivery", "public", "edge", "workflow"] as const;
type PolicyKind = (typeof POLICY_KINDS)[number];

/** `policy`. @returns the exit code */
export function printPolicy(args: Arguments, terminal: Terminal): ExitCode {
  const [kind = "delivery", ...others] = list(args, "KIND");
  const target = readTarget(toCall(args, terminal));
  if (kind === "shell") throw usage("a script is printed by: rcourier policy workflow --for shell");
  if (others.length > 0 || !isKind(kind))
    throw usage(`policy prints one of ${POLICY_KINDS.join(", ")}, not ${[kind, ...others].join(" ")}`);
  const lonely = ["for", "branch"].find((name) => kind !== "workflow" && args[name] !== undefined);
  if (lonely !== undefined) throw usage(`--${lonely} goes with: rcourier policy workflow`);
  printOutput(args, terminal, () =>
    kind === "workflow" ? toWorkflow(target, args, terminal) : toText(kind, target),
  );
  return 0;
}

const isKind = (word: string): word is PolicyKind => (POLICY_KINDS as readonly string[]).includes(word);

const usage = (reason: string): OperatorError => new OperatorError("usage", { reason, command: "policy" });

const RECIPES = { github: toGithub, gitlab: toGitlab, shell: toShell } as const;

/** A delivery from CI, complete: for the project that the call is made in, with the same settings. */
function toWorkflow({ destination, store }: Target, args: Arguments, { folder }: Terminal): string {
  const project = readProject(folder);
  const branch = text(args, "branch") ?? project.branch;
  // What a shell or a workflow would read as something else is no branch that anybody delivers.
  if (!/^[\w./@+-]+$/.test(branch)) throw usage(`--branch must be the name of a branch, not ${branch}`);
  const identity = store.kind === "s3" ? (store.identity ?? "") : "";
  const recipe: Recipe = {
    ...{ project, destination, branch },
    options: [...settingsOf(args, folder, project.folder), `--to ${destination}`].join(" "),
    role: /^arn:[^:\s]*:iam::\d*:role\/[\w+=,.@/-]+$/.test(identity) ? identity : undefined,
  };
  const place =
    text(args, "for") ?? (existsSync(join(project.folder, ".gitlab-ci.yml")) ? "gitlab" : "github");
  return RECIPES[place as keyof typeof RECIPES](recipe);
}

/** The option that names the settings, from the folder in which a recipe calls the tool; none where they are found. */
function settingsOf(args: Arguments, folder: string, from: string): readonly string[] {
  const find = (name: string, at: string): string => resolve(at, findSettings(name, at));
  const used = find(text(args, "settings") ?? SETTINGS_FILE, folder);
  if (used === find(SETTINGS_FILE, from)) return [];
  return [`--settings ${quoted(relative(from, used).split(sep).join("/"))}`];
}

function toText(kind: PolicyKind, target: Target): string {
  const { destination, store } = target;
  const distributions = distributionsOf(target);
  if (store.kind !== "s3")
    throw usage(`${destination} is a folder: who may write there is the file system's business`);
  if (kind === "edge" && distributions.length === 0)
    throw usage(`${destination} has no edge of kind distribution that could be let in`);
  const { bucket, prefix, ownsWebsite, identity } = store;
  const previews = target.previews && headOf(target.previews.prefix);
  if (kind !== "delivery" && !canKeepPreviews({ prefix, previews, identity }))
    throw usage(
      "previews stand apart from their destination: say store.identity, so that their records can be kept from everybody else",
    );
  const edge = findDistribution(target);
  const means = { viewerFunction: edge?.function, headersPolicy: edge?.headersPolicy };
  const readers: Readers = kind === "edge" ? "edge-only" : "public";
  return toJson(
    kind === "delivery"
      ? toDeliveryPolicy({ bucket, prefix, previews, ownsWebsite, distributions, means })
      : toReadPolicy({ bucket, prefix, previews, readers, identity, distributions }),
  );
}

const toJson = (policy: Policy): string => `${JSON.stringify(policy, null, 2)}\n`;

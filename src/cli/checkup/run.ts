import { existsSync } from "node:fs";
import { relative } from "node:path";
import { headOf } from "../../core/addresses/preview-name.ts";
import type { ExitCode } from "../../words/exits.ts";
import { distributionsOf } from "../../settings/destination.ts";
import type { NamedEdgeSettings, Target } from "../../settings/target.ts";
import { checkUp, type CheckupOptions, type CheckupStage, type SaidOfEdge } from "../../workflows/checkup.ts";
import { goRound, isBroken, listWaits } from "../../workflows/go-round.ts";
import { OperatorError } from "../../core/model/failure.ts";
import { DURATION, parseSeconds } from "../../settings/units.ts";
import { wiredClock } from "../../wiring/wiring.ts";
import { openEdgeToProvision } from "../../wiring/provisioned-edge.ts";
import { showEdgeWait } from "../../words/edges.ts";
import { isSet, text, type Arguments } from "../frame/command.ts";
import { printResult } from "../frame/output.ts";
import { withDestination } from "../frame/session.ts";
import { callLike } from "../frame/next-call.ts";
import { createStageLine } from "../frame/stage-line.ts";
import { showCheckup } from "./show.ts";
import type { Terminal } from "../frame/terminal.ts";
import { findCredentialsFile, openBucket, openNetwork } from "../../wiring/open.ts";

/** `checkup`. @returns the exit code: 1 where a link is broken */
export function checkUpDestination(args: Arguments, terminal: Terminal): Promise<ExitCode> {
  return withDestination(args, terminal, async (stay, target, ties) => {
    const bucket = target.store.kind === "s3" ? await openBucket(target, ties) : undefined;
    const isQuiet = isSet(args, "quiet") || text(args, "format") === "json";
    const stage = createStageLine(terminal, isQuiet);
    const wait = readWait(args);
    const distribution = await openEdgeToProvision(target, terminal, { ties, onWait: () => undefined });
    try {
      const options: CheckupOptions = {
        build: findBuildFolder(target, terminal),
        access: {
          readers: target.readers,
          distributions: distributionsOf(target),
          identity: identityOf(target),
          previews: target.previews && headOf(target.previews.prefix),
        },
        said: target.edges.map(toSaid),
        addresses: listAddresses(target),
        ...{ bucket, distribution, network: await openNetwork(), dryRun: isSet(args, "dry-run") },
        source: describeSource(target, terminal.environment),
        onStage: (told) => {
          stage.show(showStage(told));
        },
      };
      const result = await goRound(() => checkUp(stay, options), {
        ...{ clock: wiredClock, seconds: wait },
        onWait: (links, left) => {
          stage.show(`waiting for ${links.join(", ")} (${left} s left)`);
        },
      });
      stage.end();
      printResult(args, terminal, { checkup: result }, () =>
        showCheckup(result, terminal, { callLike: (words) => callLike(args, words) }),
      );
      return listWaits(result).length > 0 && (wait > 0 || isBroken(result)) ? 1 : 0;
    } finally {
      stage.end();
      distribution?.control.close();
      bucket?.close();
    }
  });
}

/** Seconds for which it goes round; 0: once. */
function readWait(args: Arguments): number {
  const said = text(args, "wait");
  if (said === undefined) return 0;
  if (DURATION.test(said)) return parseSeconds(said);
  throw new OperatorError("usage", {
    reason: `--wait takes a duration with a unit, such as 30m, not ${said}`,
    command: "checkup",
  });
}

function findBuildFolder(
  { buildFolder: folder }: Target,
  terminal: Terminal,
): { readonly folder: string; readonly isThere: boolean } | undefined {
  if (folder === undefined) return undefined;
  const below = relative(terminal.folder, folder);
  // Within the project it is known by its name there.
  return { folder: below === "" || below.startsWith("..") ? folder : below, isThere: existsSync(folder) };
}

/** What a call asks on its way: of nodes that stand side by side the first. */
function listAddresses({ store, siteRules, edges }: Target): CheckupOptions["addresses"] {
  const url = siteRules.url;
  return [
    ...(store.kind === "s3"
      ? [{ to: "store", url: store.endpoint ?? `https://s3.${store.region ?? "us-east-1"}.amazonaws.com` }]
      : []),
    ...(url === undefined ? [] : [{ to: "visitors", url }]),
    ...edges.flatMap((edge) => {
      const asked = edge.kind === "purge" ? (edge.nodes?.[0] ?? edge.url ?? url) : edge.endpoint;
      return asked === undefined ? [] : [{ to: edge.name, url: asked }];
    }),
  ];
}

const identityOf = ({ store }: Target): string | undefined =>
  store.kind === "s3" ? store.identity : undefined;

const toSaid = (edge: NamedEdgeSettings): SaidOfEdge => {
  const { name, minimumFreshness, query, negative } = edge;
  const patterns = edge.kind !== "distribution" && edge.patterns !== "none" ? edge.patterns : undefined;
  return { name, minimumFreshness, query, negative, patterns };
};

/** Where the storage client will find credentials first: the profile that is named, the environment, a web identity. */
function describeSource(target: Target, environment: NodeJS.ProcessEnv): string {
  const { store } = target;
  if (store.kind === "folder") return "none needed: the store is a folder";
  if (store.profile !== undefined) {
    const file = findCredentialsFile(store.profile, target);
    return `the profile ${store.profile}${file === undefined ? "" : ", in this project's .courier-sandbox"}`;
  }
  const { AWS_ACCESS_KEY_ID: key, AWS_PROFILE: profile, AWS_WEB_IDENTITY_TOKEN_FILE: token } = environment;
  if (profile !== undefined && profile !== "") return `the profile ${profile} (AWS_PROFILE)`;
  if (key !== undefined && key !== "") return "the environment";
  return token === undefined || token === ""
    ? "a shared profile, or what this machine is given"
    : "a web identity";
}

function showStage(stage: CheckupStage): string {
  switch (stage.code) {
    case "store":
      return "asking the store";
    case "work":
      return "trying what a delivery does, with an object of its own";
    case "visitors":
      return `asking ${stage.host} as visitors do`;
    case "edge":
      return `the edge: ${showEdgeWait(stage.wait)}`;
  }
}

import { counted } from "../../words/text.ts";
import { basename } from "node:path";
import { existsSync, mkdirSync } from "node:fs";
import { headOf } from "../../core/addresses/preview-name.ts";
import type { ExitCode } from "../../words/exits.ts";
import { OperatorError } from "../../core/model/failure.ts";
import { READERS, type Readers } from "../../core/bucket/policies.ts";
import type { ProvisionResult } from "../../results/provision.ts";
import type { ProvisionWishes } from "../../core/bucket/provision.ts";
import { distributionsOf } from "../../settings/destination.ts";
import type { Target } from "../../settings/target.ts";
import { provision } from "../../workflows/provision.ts";
import { askYes } from "../frame/ask.ts";
import { isSet, list, text, type Arguments } from "../frame/command.ts";
import { printResult } from "../frame/output.ts";
import { createStageLine } from "../frame/stage-line.ts";
import { toCall, withTarget } from "../frame/session.ts";
import { readUnmade } from "../../wiring/wiring.ts";
import { openEdgeToProvision } from "../../wiring/provisioned-edge.ts";
import { callLike } from "../frame/next-call.ts";
import { showProvision } from "./show.ts";
import type { Terminal } from "../frame/terminal.ts";
import { openBucket } from "../../wiring/open.ts";

/** `provision`. @returns the exit code */
export function provisionDestination(args: Arguments, terminal: Terminal): Promise<ExitCode> {
  const lonely = ["origin", "purge-from", "into"].find((name) => args[name] !== undefined);
  if (lonely !== undefined) throw usage(`--${lonely} needs --print WHAT`);
  const print = (result: ProvisionResult): void => {
    printResult(args, terminal, { provision: result }, () =>
      showProvision(result, terminal, callLike(args, "checkup")),
    );
  };
  return withTarget<ExitCode>(
    readUnmade(toCall(args, terminal)),
    args,
    terminal,
    async (stay, target, ties) => {
      const wishes = toWishes(target, args);
      if (!wishes) {
        print(provisionFolder(target, isSet(args, "dry-run")));
        return 0;
      }
      const bucket = await openBucket(target, ties);
      const stage = createStageLine(terminal, isSet(args, "quiet") || text(args, "format") === "json");
      const edge = await openEdgeToProvision(target, terminal, {
        ties,
        onWait: (seconds) => {
          stage.show(`the distribution is being deployed (${seconds} s)`);
        },
      });
      try {
        const confirm = (planned: ProvisionResult): Promise<void> => confirmChanges(planned, terminal);
        const dryRun = isSet(args, "dry-run");
        const result = await provision(stay, bucket, {
          ...{ wishes, edge, dryRun },
          confirm: isSet(args, "yes") ? undefined : confirm,
        });
        stage.end();
        print(result);
      } finally {
        stage.end();
        edge?.control.close();
        bucket.close();
      }
      return 0;
    },
  );
}

/** Undefined where the store is a folder, which needs nothing but to be there. */
function toWishes(target: Target, args: Arguments): ProvisionWishes | undefined {
  const { store, edges } = target;
  const { entry, notFound, clientRoutes } = target.siteRules;
  if (store.kind === "folder") return undefined;
  const { bucket, prefix, region, identity, ownsWebsite } = store;
  const asked = text(args, "readers");
  const readers = READERS.find((one) => one === asked) ?? target.readers;
  if (store.readers !== undefined && readers !== store.readers)
    throw usage(`--readers ${readers}: the settings say ${store.readers} (store.readers)`);
  const error = prefix + (clientRoutes ? entry : (notFound ?? "404.html"));
  return {
    ...{ bucket, prefix, region, readers: assertPossible(readers, target), identity, ownsWebsite },
    previews: target.previews && headOf(target.previews.prefix),
    distributions: distributionsOf(target),
    hasOtherEdges: edges.some(({ kind }) => kind !== "distribution"),
    website: store.serves === "website" ? { index: basename(entry), error } : undefined,
    versioning: isSet(args, "versioning"),
    tags: Object.fromEntries(list(args, "tag").map(parseTag)),
  };
}

/** A website endpoint answers everybody or nobody. */
function assertPossible(readers: Readers, { store, destination }: Target): Readers {
  if (readers === "edge-only" && store.kind === "s3" && store.serves === "website")
    throw usage(
      `${destination} can't be for the edge only: its edge reads from the website endpoint (serves: website), which knows no identities`,
    );
  return readers;
}

function parseTag(said: string): [string, string] {
  const [name = "", value] = said.split(/=(.*)/s);
  if (name === "" || value === undefined) throw usage(`--tag must be NAME=VALUE, not ${said}`);
  return [name, value];
}

const usage = (reason: string): OperatorError => new OperatorError("usage", { reason, command: "provision" });

async function confirmChanges(planned: ProvisionResult, terminal: Terminal): Promise<void> {
  const { steps, bucket } = planned;
  const reason = `provision would make ${counted(steps.length, "change")} to ${bucket}`;
  if (!terminal.canAsk) throw new OperatorError("answer-needed", { reason });
  terminal.say(showProvision(planned, terminal));
  await askYes(`Make ${steps.length === 1 ? "this change" : "these changes"} to ${bucket}?`);
}

/** A folder needs nothing but to be there; who reads it is its web server's business. */
function provisionFolder({ site, destination, store }: Target, dryRun: boolean): ProvisionResult {
  const { folder } = store as Extract<Target["store"], { kind: "folder" }>;
  const isThere = existsSync(folder);
  if (!isThere && !dryRun) mkdirSync(folder, { recursive: true });
  const made = { do: "make-folder", what: `make the folder ${folder}`, why: "it is not there yet" } as const;
  return {
    ...{ site, destination, dryRun, readers: "public", bucket: folder, endpoint: "the file system" },
    ...{ steps: isThere ? [] : [made], byHand: [], checked: [] },
  };
}

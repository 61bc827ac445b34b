import type { ExitCode } from "../../words/exits.ts";
import { OperatorError } from "../../core/model/failure.ts";
import type { Policy } from "../../core/model/policy.ts";
import { headOf } from "../../core/addresses/preview-name.ts";
import { canKeepPreviews, toDeliveryPolicy, toReadPolicy, type Readers } from "../../core/bucket/policies.ts";
import { findDistribution } from "../../settings/edge-wishes.ts";
import { distributionsOf } from "../../settings/destination.ts";
import type { Target } from "../../settings/target.ts";
import { list, type Arguments } from "../frame/command.ts";
import { printOutput } from "../frame/output.ts";
import { toScript, toWorkflow } from "./ci.ts";
import { toCall } from "../frame/session.ts";
import type { Terminal } from "../frame/terminal.ts";
import { readTarget } from "../../wiring/wiring.ts";

/** What can be printed. */
const POLICY_KINDS = ["delivery", "public", "edge", "workflow", "shell"] as const;
type PolicyKind = (typeof POLICY_KINDS)[number];

/** `policy`. @returns the exit code */
export function printPolicy(args: Arguments, terminal: Terminal): ExitCode {
  const [kind = "delivery", ...others] = list(args, "KIND");
  const target = readTarget(toCall(args, terminal));
  if (others.length > 0 || !isKind(kind))
    throw usage(`policy prints one of ${POLICY_KINDS.join(", ")}, not ${[kind, ...others].join(" ")}`);
  printOutput(args, terminal, () => toText(kind, target));
  return 0;
}

const isKind = (word: string): word is PolicyKind => (POLICY_KINDS as readonly string[]).includes(word);

const usage = (reason: string): OperatorError => new OperatorError("usage", { reason, command: "policy" });

function toText(kind: PolicyKind, target: Target): string {
  const { destination, store } = target;
  const distributions = distributionsOf(target);
  const identity = store.kind === "s3" ? store.identity : undefined;
  if (kind === "workflow") return toWorkflow({ destination, identity });
  if (kind === "shell") return toScript(destination);
  if (store.kind !== "s3")
    throw usage(`${destination} is a folder: who may write there is the file system's business`);
  if (kind === "edge" && distributions.length === 0)
    throw usage(`${destination} has no edge of kind distribution that could be let in`);
  const { bucket, prefix, ownsWebsite } = store;
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

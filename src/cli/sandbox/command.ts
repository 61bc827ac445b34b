import { readFileSync } from "node:fs";
import { resolve } from "node:path";
import { OperatorError } from "../../core/model/failure.ts";
import { makeTemporaryFolder } from "../../system/temporary-folder.ts";
import type { Sandbox, SandboxFacts, SandboxOptions } from "../../sandbox/sandbox.ts";
import { DURATION, parseSeconds } from "../../settings/units.ts";
import { readPolicy, type AccessPolicy } from "../../sandbox/store/permissions.ts";
import { toCertificateReference, type ShelvedCertificate } from "../../sandbox/edge/distributions.ts";
import { CERTIFICATE_KINDS } from "../../sandbox/edge/certificate-kinds.ts";
import { readTraits, TRAIT_NAMES, type Traits } from "../../sandbox/edge/traits.ts";
import {
  isStoreTrait,
  readStoreTraits,
  STORE_TRAIT_NAMES,
  type StoreTraits,
} from "../../sandbox/store/traits.ts";
import { isSet, list, text, type Arguments, type Command } from "../frame/command.ts";
import { toJson } from "../frame/output.ts";
import { waitForStop } from "../frame/signals.ts";
import type { Terminal } from "../frame/terminal.ts";

export const sandboxCommand: Command = {
  name: "sandbox",
  group: "practise",
  about: "runs a simulated store and edge on this machine until you stop it",
  options: {
    data: {
      kind: "text",
      value: "FOLDER",
      about: "keep all data in this folder; without it, data is deleted when the sandbox stops",
    },
    "store-port": {
      kind: "text",
      value: "PORT",
      about: "port of the store; 0: any free one",
      default: "8450",
    },
    "edge-port": { kind: "text", value: "PORT", about: "port of the edge; 0: any free one", default: "8460" },
    bucket: { kind: "text", value: "NAME", about: "the bucket to begin with", default: "practice" },
    pops: { kind: "text", value: "NUMBER", about: "points of presence of the edge", default: "1" },
    propagation: {
      kind: "text",
      value: "DURATION",
      about: "how long until every point of presence has forgotten an address",
      default: "0s",
    },
    origin: {
      kind: "text",
      value: "KIND",
      about: "what the edge reads from",
      choices: ["website", "objects"],
      default: "objects",
    },
    query: {
      kind: "text",
      value: "HOW",
      about: "whether the edge keeps one copy for all queries, or one for each",
      choices: ["ignored", "keyed"],
      default: "ignored",
    },
    bare: {
      kind: "switch",
      about: "begin without a bucket; the edge reads only what the bucket's settings let it (for provision)",
    },
    empty: {
      kind: "switch",
      about: "begin without bucket and distribution, like a new account (for provision)",
    },
    certificate: {
      kind: "list",
      value: "NAMES[@DATE]",
      about:
        "a certificate that distributions can be given: its names, and the day when it ends (repeatable)",
    },
    tls: {
      kind: "text",
      value: "KIND",
      about: "let the edge speak https, with a certificate of this kind that it signs itself",
      choices: CERTIFICATE_KINDS,
    },
    policy: {
      kind: "text",
      value: "FILE",
      about: "add a second identity that may do just what this policy says (JSON)",
    },
    trait: {
      kind: "list",
      value: "NAME[=VALUE]",
      about: "let store or edge behave as some real ones do (repeatable; docs/sandbox.md)",
    },
    faults: { kind: "text", value: "FILE", about: "what goes wrong and when, from a file of rules (YAML)" },
    "client-routes": { kind: "switch", about: "answer unknown addresses with the entry page" },
    format: {
      kind: "text",
      value: "FORMAT",
      about: "the form of the first line",
      choices: ["text", "json"],
      default: "text",
    },
  },
  examples: [
    ["rcourier sandbox", "a store and an edge to practise on; gone when you stop it"],
    [
      "rcourier sandbox --data ./sandbox --pops 3 --propagation 2s",
      "still filled tomorrow; invalidations take their time",
    ],
  ],
  run: async (args, terminal) => {
    const named = text(args, "data");
    const { folder: data, dispose } =
      named === undefined
        ? makeTemporaryFolder("sandbox")
        : { folder: resolve(terminal.folder, named), dispose: () => undefined };
    try {
      const sandbox = await openSandbox(args, data, terminal.folder);
      showReady(sandbox.facts, args, terminal);
      await waitForStop();
      await sandbox.close();
    } finally {
      dispose();
    }
    return 0;
  },
};

/**
 * Starts what a call of `sandbox` asks for.
 * @param data the folder that keeps what it holds
 * @param folder where the call is made: files that it names are searched from there
 * @throws {OperatorError} where an option is wrong, or a port is taken
 */
export async function openSandbox(args: Arguments, data: string, folder: string): Promise<Sandbox> {
  const file = text(args, "faults");
  const faults = file === undefined ? undefined : (await import("./faults-file.ts")).readFaults(file, folder);
  return start({ ...readOptions(args), data, faults, policy: readPolicyOf(args, folder) });
}

async function start(options: SandboxOptions): Promise<Sandbox> {
  const { startSandbox } = await import("../../sandbox/sandbox.ts");
  try {
    return await startSandbox(options);
  } catch (error) {
    const { code, port } = error as { code?: string; port?: number };
    throw code === "EADDRINUSE" ? new OperatorError("port-taken", { port: port ?? "" }, {}, error) : error;
  }
}

/** Seconds. */
const MOST_PROPAGATION = 3600;

function readOptions(args: Arguments): Omit<SandboxOptions, "data"> {
  const propagation = text(args, "propagation") ?? "0s";
  if (!DURATION.test(propagation) || parseSeconds(propagation) > MOST_PROPAGATION)
    throw wrong("propagation", propagation, "a duration such as 2s, one hour at most");
  return {
    storePort: readNumber(args, "store-port", 65_535),
    edgePort: readNumber(args, "edge-port", 65_535),
    bucket: text(args, "bucket") ?? "practice",
    points: Math.max(1, readNumber(args, "pops", 16)),
    propagationMs: parseSeconds(propagation) * 1000,
    origin: text(args, "origin") === "website" ? "website" : "objects",
    query: text(args, "query") === "keyed" ? "keyed" : "ignored",
    clientRoutes: isSet(args, "client-routes"),
    bare: isSet(args, "bare"),
    empty: isSet(args, "empty"),
    certificates: list(args, "certificate").map(readCertificate),
    tls: CERTIFICATE_KINDS.find((kind) => kind === text(args, "tls")),
    ...readTraitsOf(args),
  };
}

/** What lasts for as long as nobody says otherwise. */
const FAR = "2099-01-01";

/** `www.pelican.test,*.pelican.test@2027-03-01` */
function readCertificate(said: string, index: number): ShelvedCertificate {
  const [names = "", until = FAR] = said.split("@");
  const list = names.split(",").filter((name) => name !== "");
  if (list.length === 0 || !/^\d{4}-\d\d-\d\d$/.test(until) || Number.isNaN(Date.parse(until)))
    throw wrong("certificate", said, "names, and a day such as www.pelican.test,*.pelican.test@2027-03-01");
  return { reference: toCertificateReference(index + 1), names: list, until: `${until}T00:00:00Z` };
}

function readPolicyOf(args: Arguments, folder: string): AccessPolicy | undefined {
  const file = text(args, "policy");
  if (file === undefined) return undefined;
  try {
    return readPolicy(readFileSync(resolve(folder, file), "utf8"));
  } catch (error) {
    throw wrong("policy", file, `a policy in JSON (${(error as Error).message})`);
  }
}

function readTraitsOf(args: Arguments): { readonly traits: Traits; readonly storeTraits: StoreTraits } {
  const asked = list(args, "trait");
  const traits = readTraits(asked.filter((name) => !isStoreTrait(name)));
  const storeTraits = readStoreTraits(asked.filter(isStoreTrait));
  if (!("wrong" in traits) && !("wrong" in storeTraits)) return { traits, storeTraits };
  const text = "wrong" in traits ? traits.wrong : "wrong" in storeTraits ? storeTraits.wrong : "";
  throw wrong("trait", text, `one of ${[...STORE_TRAIT_NAMES, ...TRAIT_NAMES].join(", ")}, with its value`);
}

function readNumber(args: Arguments, option: string, most: number): number {
  const value = text(args, option) ?? "0";
  if (!/^\d+$/.test(value) || Number(value) > most) throw wrong(option, value, `a number up to ${most}`);
  return Number(value);
}

const wrong = (option: string, value: string, wanted: string): OperatorError =>
  new OperatorError("usage", { reason: `--${option} must be ${wanted}, not ${value}`, command: "sandbox" });

function showReady(facts: SandboxFacts, args: Arguments, terminal: Terminal): void {
  if (text(args, "format") === "json") {
    terminal.print(toJson({ sandbox: { ready: true, ...facts } }));
    return;
  }
  const { endpoint, edge, edgeApi, pops, distribution, accessKeyId, secretAccessKey, bucket, region } = facts;
  const { style } = terminal;
  const lines = [
    `${style("good", "ready:")} stop it with Ctrl-C`,
    "",
    `  store   ${endpoint}   bucket ${bucket}`,
    ...pops.map(
      (address, index) => `  edge    ${address}${pops.length > 1 ? `   point of presence ${index + 1}` : ""}`,
    ),
    "",
    style("strong", "a destination for courier.yaml"),
    "",
    "  destinations:",
    "    practice:",
    `      url: ${edge}`,
    `      store: { kind: s3, bucket: ${bucket}, region: ${region}, endpoint: "${endpoint}" }`,
    `      edge: { kind: distribution, ${distribution === "" ? "" : `id: ${distribution}, `}endpoint: "${edgeApi}", settle: 0s, longestFetch: 1s }`,
    "",
    style("strong", "its credentials, which guard nothing"),
    "",
    `  export AWS_ACCESS_KEY_ID=${accessKeyId}`,
    `  export AWS_SECRET_ACCESS_KEY=${secretAccessKey}`,
    "",
  ];
  terminal.print(lines.join("\n"));
}

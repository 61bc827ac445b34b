import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join, resolve } from "node:path";
import { OperatorError } from "../../core/failures.ts";
import type { SandboxFacts } from "../../sandbox/sandbox.ts";
import { text, type Arguments, type Command } from "../command.ts";
import type { Terminal } from "../terminal.ts";

export const sandboxCommand: Command = {
  name: "sandbox",
  group: "practise",
  about: "runs a simulated store on this machine until it is stopped",
  options: {
    data: {
      kind: "text",
      value: "FOLDER",
      about: "keep everything there; without it, in a folder that goes when the sandbox stops",
    },
    "store-port": {
      kind: "text",
      value: "PORT",
      about: "port of the store; 0: any free one",
      default: "8450",
    },
    bucket: { kind: "text", value: "NAME", about: "the bucket to begin with", default: "practice" },
    format: {
      kind: "text",
      value: "FORMAT",
      about: "form of the ready line",
      choices: ["text", "json"],
      default: "text",
    },
  },
  examples: [["rcourier sandbox --data ./sandbox", "a store that is still filled tomorrow"]],
  run: async (args, terminal) => {
    const { startSandbox } = await import("../../sandbox/sandbox.ts");
    const folder = text(args, "data");
    const data =
      folder === undefined
        ? mkdtempSync(join(tmpdir(), "courier-sandbox-"))
        : resolve(terminal.folder, folder);
    const storePort = readPort(args, "store-port");
    const sandbox = await startSandbox({ data, storePort, bucket: text(args, "bucket") ?? "practice" }).catch(
      (error: unknown) => {
        throw (error as { code?: string }).code === "EADDRINUSE"
          ? new OperatorError("port-taken", { port: storePort })
          : error;
      },
    );
    showReady(sandbox.facts, args, terminal);
    await waitForStop();
    await sandbox.close();
    if (folder === undefined) rmSync(data, { recursive: true, force: true });
    return 0;
  },
};

function readPort(args: Arguments, option: string): number {
  const port = Number(text(args, option));
  if (!Number.isInteger(port) || port < 0 || port > 65_535)
    throw new OperatorError("usage", {
      reason: `--${option} ${text(args, option)}: not a port`,
      command: "sandbox",
    });
  return port;
}

function showReady(facts: SandboxFacts, args: Arguments, terminal: Terminal): void {
  if (text(args, "format") === "json") {
    terminal.print(`${JSON.stringify({ ready: true, ...facts })}\n`);
    return;
  }
  const { endpoint, accessKeyId, secretAccessKey, bucket, region } = facts;
  terminal.print(
    [
      `ready: the sandbox's store is at ${endpoint}, bucket ${bucket}; stop it with Ctrl-C`,
      "",
      "a destination for courier.yaml:",
      "",
      "  practice:",
      `    store: { kind: s3, bucket: ${bucket}, endpoint: "${endpoint}", region: ${region} }`,
      "",
      "its credentials, which guard nothing:",
      "",
      `  export AWS_ACCESS_KEY_ID=${accessKeyId} AWS_SECRET_ACCESS_KEY=${secretAccessKey}`,
      "",
    ].join("\n"),
  );
}

/** Until somebody stops it, by hand or by ending the process that started it. */
const waitForStop = (): Promise<void> =>
  new Promise((resolveStop) => {
    for (const signal of ["SIGINT", "SIGTERM"] as const)
      process.once(signal, () => {
        resolveStop();
      });
  });

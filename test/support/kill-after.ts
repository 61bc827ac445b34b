import { once } from "node:events";
import { setTimeout as sleep } from "node:timers/promises";
import type { Project, RunningSandbox } from "./program.ts";

/** Kills the program (SIGKILL) once it has made so many requests. @returns whether it was still alive then */
export async function killAfter(
  project: Project,
  call: readonly string[],
  requests: number,
  sandbox: RunningSandbox,
): Promise<boolean> {
  const begun = sandbox.countRequests();
  const child = project.start(call);
  const ended = once(child, "exit");
  while (child.exitCode === null && sandbox.countRequests() - begun < requests) await sleep(1);
  child.kill("SIGKILL");
  await ended;
  return child.signalCode === "SIGKILL";
}

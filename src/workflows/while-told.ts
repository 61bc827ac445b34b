import type { Task } from "../core/model/task.ts";
import type { Reporter } from "../ports/reporter.ts";

/** Tells that something begins that may take a while, and that it has ended. */
export async function whileTold<T>(report: Reporter, task: Task, work: () => Promise<T>): Promise<T> {
  report({ event: "task", task, state: "started" });
  try {
    return await work();
  } finally {
    report({ event: "task", task, state: "ended" });
  }
}

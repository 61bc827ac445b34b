import { readFileSync, readlinkSync } from "node:fs";
import { hostname } from "node:os";
import { setFlagsFromString } from "node:v8";
import { runInNewContext } from "node:vm";
import type { Machine } from "../../ports/machine.ts";

/**
 * The machine that this runs on, by its name and the numbers of its processes. Where its system does not say when a process
 * began (proc(5)), nothing is known of the others: neither the name of a host nor a number tells two machines apart.
 * @param proc where the system tells of its processes
 */
export function createMachine(proc = "/proc"): Machine {
  const readStart = (of: number): string | undefined => readProcessStart(proc, of);
  return {
    describe: () => ({ host: hostname(), process: process.pid, processStart: readStart(process.pid) ?? "" }),
    isAlive: ({ host, process: number, processStart }) => {
      const own = readStart(process.pid);
      if (host !== hostname() || own === undefined) return undefined;
      // Another boot or another space of process numbers: a machine of the same name, where nothing can be told from here.
      if (spaceOf(processStart) !== spaceOf(own)) return undefined;
      if (!isRunning(number)) return false;
      // One that is hidden from us may be the one or another.
      const start = readStart(number);
      return start === undefined ? undefined : start === processStart;
    },
  };
}

export const systemMachine: Machine = createMachine();

/**
 * Takes a little time rather than memory from here on, for sites of very many files: garbage is collected when the heap has
 * grown by a third, not by three times. How far it may grow is decided at each collection, so one is made now.
 */
export function spareMemory(): void {
  setFlagsFromString("--heap-growing-percent=30");
  setFlagsFromString("--expose-gc");
  (runInNewContext("gc") as () => void)();
}

const spaceOf = (start: string): string => start.slice(0, start.lastIndexOf(" ") + 1);

function isRunning(number: number): boolean {
  try {
    process.kill(number, 0);
    return true;
  } catch (error) {
    return (error as NodeJS.ErrnoException).code === "EPERM";
  }
}

/** When a process began: boot of its machine, space of its number, ticks since the boot (proc(5), field 22); undefined where nothing tells. */
function readProcessStart(proc: string, number: number): string | undefined {
  try {
    const stat = readFileSync(`${proc}/${number}/stat`, "utf8");
    const boot = readFileSync(`${proc}/sys/kernel/random/boot_id`, "utf8").trim();
    const space = readlinkSync(`${proc}/self/ns/pid`);
    // The name before it may hold anything, a bracket included.
    const ticks = stat.slice(stat.lastIndexOf(")") + 2).split(" ")[19];
    return ticks === undefined ? undefined : `${boot} ${space} ${ticks}`;
  } catch {
    return undefined;
  }
}

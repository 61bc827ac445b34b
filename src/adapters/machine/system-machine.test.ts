import { jest } from "@jest/globals";
import { spawnSync } from "node:child_process";
import { mkdirSync, rmSync, symlinkSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { temporaryFolder } from "../../../test/support/builds.ts";
import { needing } from "../../../test/support/needing.ts";
import { createMachine } from "./system-machine.ts";

/** What a system tells of its processes, by their numbers. */
function fakeProc(starts: Readonly<Record<number, number>>, boot = "b00t"): string {
  const proc = temporaryFolder("proc");
  mkdirSync(join(proc, "sys/kernel/random"), { recursive: true });
  writeFileSync(join(proc, "sys/kernel/random/boot_id"), `${boot}\n`);
  mkdirSync(join(proc, "self/ns"), { recursive: true });
  symlinkSync("pid:[4026531836]", join(proc, "self/ns/pid"));
  for (const [number, start] of Object.entries(starts)) {
    mkdirSync(join(proc, number));
    writeFileSync(join(proc, number, "stat"), `${number} (a) b) S ${"0 ".repeat(18)}${start} 0`);
  }
  return proc;
}

const OWN = process.pid;
const OTHER = process.ppid;
const DEAD = spawnSync(process.execPath, ["-e", ""]).pid;

const procTest = needing("symbolic links");

procTest("a process counts as dead only where the system surely says so", () => {
  const told = fakeProc({ [OWN]: 70, [OTHER]: 50 });
  const machine = createMachine(told);
  const { host, processStart } = machine.describe();
  const held = (number: number, ticks: string) => ({
    ...{ host, process: number },
    processStart: processStart.replace(/\d+$/, ticks),
  });
  expect(processStart).toBe("b00t pid:[4026531836] 70");
  expect([machine.isAlive(held(OWN, "70")), machine.isAlive(held(OTHER, "50"))]).toEqual([true, true]);
  // Its number has come again, or nobody has it.
  expect([machine.isAlive(held(OTHER, "49")), machine.isAlive(held(DEAD, "50"))]).toEqual([false, false]);
  // Mounted so that a user sees only the processes of his own.
  rmSync(join(told, String(OTHER)), { recursive: true });
  expect(machine.isAlive(held(OTHER, "50"))).toBeUndefined();
});

procTest(
  "a process of another user lives, though no signal may be sent to it; any other refusal means that it is gone",
  () => {
    const machine = createMachine(fakeProc({ [OWN]: 70, [OTHER]: 50 }));
    const { host, processStart } = machine.describe();
    const held = { host, process: OTHER, processStart: processStart.replace(/\d+$/, "50") };
    const refuse = (code: string): boolean | undefined => {
      const kill = jest.spyOn(process, "kill").mockImplementation(() => {
        throw Object.assign(new Error(code), { code });
      });
      try {
        return machine.isAlive(held);
      } finally {
        kill.mockRestore();
      }
    };
    expect([refuse("EPERM"), refuse("ESRCH"), machine.isAlive(held)]).toEqual([true, false, true]);
  },
);

procTest("a machine of the same name is another one: only the lease decides there", () => {
  const one = createMachine(fakeProc({ [OWN]: 70 })).describe();
  const other = createMachine(fakeProc({ [OWN]: 70 }, "another"));
  expect([other.isAlive(one), other.isAlive({ ...one, process: DEAD })]).toEqual([undefined, undefined]);
});

test("where a system tells nothing of its processes, as macOS and Windows, none counts as dead", () => {
  const machine = createMachine(join(temporaryFolder("proc"), "none"));
  const own = machine.describe();
  expect(own.processStart).toBe("");
  expect([machine.isAlive(own), machine.isAlive({ ...own, process: DEAD })]).toEqual([undefined, undefined]);
  // Nor one of a machine of this name that does tell.
  const told = createMachine(fakeProc({ [OWN]: 70 })).describe();
  expect([machine.isAlive(told), machine.isAlive({ ...told, process: DEAD })]).toEqual([
    undefined,
    undefined,
  ]);
});

import { takeHold, type HeldDestination, type HoldWish } from "../perform/hold.ts";
import type { Stay } from "./run.ts";

/** Does something while the destination is ours; lets go of it whatever comes of that. Throws `held`, `hold-lost`. */
export async function withHold<T>(
  { run, place, writing }: Stay,
  wish: HoldWish,
  task: (hold: HeldDestination) => Promise<T>,
): Promise<T> {
  const { clock, report, name, author, interruption } = run;
  const { machine, gate, leaseSeconds } = writing;
  const tools = {
    ...{ store: place.store, clock, machine, report, run: name, by: author.by, leaseSeconds },
    assertGoesOn: () => {
      interruption.assertGoesOn();
    },
  };
  const hold = await takeHold(tools, wish);
  gate.assertOurs = () => hold.assertOurs();
  try {
    return await task(hold);
  } finally {
    gate.assertOurs = undefined;
    await hold.letGo();
  }
}

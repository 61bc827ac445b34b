import { MemoryStore } from "../adapters/stores/memory/memory-store.ts";
import { readText } from "../../test/contracts/object-store.ts";
import { around } from "../../test/support/around.ts";
import { memoryDelivery, STILL } from "../../test/support/memory-build.ts";
import { OPTIONS, site } from "../../test/support/stage.ts";
import { HOLD_KEY, OPEN_PREFIX } from "../core/model/names.ts";
import { deliver } from "./deliver.ts";

/** A machine falls asleep when one write is done; another run delivers meanwhile, and ends. */
test.each([1, 2, 3, 4, 5])(
  "a run that sleeps after its write number %i, while another delivers, writes nothing more of the site",
  async (sleepsAfter) => {
    let nowMs = 1_000_000;
    const clock = { ...STILL, now: () => new Date(nowMs), monotonicMs: () => nowMs, sleep: (ms: number) => Promise.resolve(void (nowMs += ms)) }; // prettier-ignore
    const store = new MemoryStore(undefined, () => nowMs);
    await deliver(memoryDelivery({ files: site("one"), store, clock }), OPTIONS);
    const writes: string[] = [];
    let woke = Infinity;
    const done = async <T>(name: string, written: Promise<T>): Promise<T> => {
      await written;
      if (name === HOLD_KEY || name.startsWith(OPEN_PREFIX)) return written;
      writes.push(name);
      if (writes.length !== sleepsAfter) return written;
      nowMs += 120_000;
      await deliver(memoryDelivery({ files: site("three"), store, clock }), OPTIONS);
      woke = writes.length;
      return written;
    };
    const sleeper = around(store, {
      put: (key, ...rest) => done(key, store.put(key, ...rest)),
      copy: (...args) => done(`copy to ${args[1]}`, store.copy(...args)),
      remove: (keys, ...rest) => done(keys.join(), store.remove(keys, ...rest)),
    });
    const slept = deliver(memoryDelivery({ files: site("two"), store: sleeper, clock }), OPTIONS);
    await expect(slept).rejects.toMatchObject({ code: "hold-lost" });
    expect([woke, writes.slice(woke)]).toEqual([expect.any(Number), []]);
    for (const [key, text] of Object.entries(site("three")))
      expect([key, await readText(await store.get(key))]).toEqual([key, text]);
  },
);

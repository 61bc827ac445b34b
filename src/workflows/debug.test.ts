import { World } from "../../test/support/world.ts";
function toChance(seed: number): () => number {
  let state = seed;
  return () => {
    state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
    return state / 2 ** 32;
  };
}
test("debug", async () => {
  const played = JSON.parse(process.env.PLAYED ?? "{}");
  const world = new World(toChance(played.seed), {
    edge: played.edge,
    hasTwo: played.hasTwo,
    traits: played.traits,
    retainSeconds: played.runs.some((r: any) => r.lateAt !== undefined) ? 10000 : 0,
  });
  const log: string[] = [];
  const run = async (d: any) => {
    const before = world.store.trace.length;
    const end = await world.run(d);
    log.push(
      `--- ${JSON.stringify(d)} -> ${end}`,
      ...world.store.trace.slice(before),
      ...world.faults.splice(0).map((f) => `FAULT ${f}`),
    );
    const keys: string[] = [];
    for await (const p of world.store.list()) keys.push(...p.objects.map(({ key }) => key));
    log.push(`   [${keys.filter((k) => !k.startsWith(".courier/vault")).join(" ")}]`);
  };
  await run({ build: 1 });
  for (const r of played.runs) await run(r);
  await run({ build: played.last });
  for (const number of [5, 4, 5, 4]) {
    world.sleepOver(world.retainSeconds * 1000);
    await run({ build: number });
  }
  (await import("node:fs")).writeFileSync("/tmp/debug.log", log.join("\n"));
});

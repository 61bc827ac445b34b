import { watchMemory } from "./memory-watch.ts";

test("what takes more memory than it may is told so once; what does not is left alone", async () => {
  const told: string[] = [];
  const ends = [1, undefined].map((most) => watchMemory(({ code }) => told.push(`${most} ${code}`), most));
  await new Promise((resolve) => setTimeout(resolve, 700));
  for (const end of ends) end();
  expect(told).toEqual(["1 out-of-memory"]);
});

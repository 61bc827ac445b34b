import { MemoryStore } from "../adapters/stores/memory/memory-store.ts";
import { readHabits } from "../core/diagnosis/checkup/edge-links.ts";
import { toProbeKeys } from "../core/diagnosis/checkup/probes.ts";
import { EdgeError } from "../ports/edge.ts";
import { readText } from "../../test/contracts/object-store.ts";
import { toEdge } from "../../test/support/edges.ts";
import { toContent } from "./record.ts";
import { toProbe, tryForgetting, watchHabits, type EdgeTools } from "./try-edges.ts";

/** What a cache of these tests does with what it is asked for. */
interface Habits {
  readonly holdsZero?: boolean;
  readonly ignoresQuery?: boolean;
  readonly holdsMissing?: boolean;
  /** Holds nothing at all. */
  readonly isNone?: boolean;
  readonly knowsPatterns?: boolean;
  /** Answers so often with what it was asked to forget. */
  readonly servesOnceMore?: number;
}

const RUN = "run-89abcdef";
const KEYS = toProbeKeys(RUN, "index.html");

/** A store, and a cache before it. */
function stand({
  holdsZero,
  ignoresQuery = true,
  holdsMissing,
  isNone,
  knowsPatterns = true,
  servesOnceMore = 0,
}: Habits) {
  const store = new MemoryStore();
  const held = new Map<string, { status: number; hash: string }>();
  const dying = new Map<string, number>();
  const asked: (readonly string[])[] = [];
  let nowMs = 0;
  const read = async (key: string): Promise<{ status: number; hash: string }> => {
    const text = await readText(await store.get(key));
    return text === undefined
      ? { status: 404, hash: "" }
      : { status: 200, hash: toContent(Buffer.from(text)).hash };
  };
  const ask = async (address: string) => {
    const name = ignoresQuery ? address.replace(/\?.*/, "") : address;
    const key = address.slice(1).replace(/\?.*/, "");
    const once = dying.get(name) ?? 0;
    if (once > 0) dying.set(name, once - 1);
    else if (dying.delete(name)) held.delete(name);
    const answer = held.get(name) ?? (await read(key));
    const isHeld =
      answer.status === 404 ? holdsMissing : key !== KEYS.zero && key !== KEYS.late ? true : holdsZero;
    if (isHeld && !isNone) held.set(name, answer);
    return { ...answer, headers: {} } as never;
  };
  const tools: EdgeTools = {
    ...{ store, run: RUN, keys: KEYS, ask, addressOf: (key) => `/${key}`, onWait: () => undefined },
    clock: { sleep: (ms: number) => Promise.resolve(void (nowMs += ms)) } as never,
  };
  const edge = toEdge({
    name: "cache",
    confirmation: { settle: 2, longestFetch: 0, readBack: { kind: "off" }, rewrites: false },
    forget: ({ patterns }) => {
      asked.push(patterns);
      for (const name of [...held.keys()])
        if (
          patterns.some(
            (one) =>
              one === name || (knowsPatterns && one.endsWith("*") && name.startsWith(one.slice(0, -1))),
          )
        )
          if (servesOnceMore > 0) dying.set(name, servesOnceMore);
          else held.delete(name);
      return Promise.resolve();
    },
  });
  return { tools, edge, asked, spentMs: () => nowMs };
}

/** As the checkup goes: the missing one is asked for, the page written, and then what the edge does is watched. */
async function watch(habits: Habits) {
  const stage = stand(habits);
  const { store, ask, addressOf } = stage.tools;
  const late: { status: number } | undefined = await ask(addressOf(KEYS.late));
  await store.put(KEYS.page, toProbe(RUN, 1), {});
  return { ...stage, ...readHabits(await watchHabits(stage.tools, late?.status === 404)) };
}

test.each<[string, Habits, object]>([
  ["tells queries apart", { ignoresQuery: false }, { holdsZero: false, ignoresQuery: false, holdsNegative: false }],
  ["ignores queries", {}, { holdsZero: false, ignoresQuery: true, holdsNegative: false }],
  ["holds what it should not", { holdsZero: true }, { holdsZero: true, ignoresQuery: true, holdsNegative: false }],
  ["holds 'not found'", { holdsMissing: true }, { holdsZero: false, ignoresQuery: true, holdsNegative: true }],
])("an edge that %s is seen to", async (_, habits, seen) => {
  const { holdsOld, habits: found } = await watch(habits);
  expect([holdsOld, found]).toEqual([true, seen]);
}); // prettier-ignore

test("of an edge that holds nothing, no query can be told, and nothing old can be", async () => {
  const { holdsOld, habits, tools, edge } = await watch({ isNone: true });
  expect([holdsOld, habits.ignoresQuery, habits.holdsZero]).toEqual([false, undefined, false]);
  expect(await tryForgetting(tools, [{ edge, patterns: "path" }], holdsOld)).toEqual([
    { edge: "cache", patterns: "path", exact: { state: "not-held" } },
  ]);
});

test("an edge is asked twice for the address, then for the pattern, and each time it is looked at what answers", async () => {
  const { tools, edge, asked, spentMs } = await watch({});
  expect(await tryForgetting(tools, [{ edge, patterns: "path" }], true)).toEqual([
    { edge: "cache", patterns: "path", exact: { state: "new" }, pattern: { state: "new" } },
  ]);
  const [page, all] = [[`/${KEYS.page}`], [`/${KEYS.folder}*`]];
  expect([asked, spentMs()]).toEqual([[page, page, all, all], 4000]);
});

test.each([
  ["without patterns", undefined, { exact: { state: "new" } }],
  ["whose pattern is empty", "", { exact: { state: "new" } }],
  ["that does not know its pattern", "path", { exact: { state: "new" }, pattern: { state: "old" } }],
])("an edge %s is tried for what it can", async (_, patterns, seen) => {
  const { tools, edge } = await watch({ knowsPatterns: false });
  expect(await tryForgetting(tools, [{ edge, patterns }], true)).toEqual([
    { edge: "cache", patterns, ...seen },
  ]);
});

test("an old copy may be served a few times more, and not for ever", async () => {
  for (const [servesOnceMore, state] of [
    [7, "new"],
    [8, "old"],
  ] as const) {
    const { tools, edge } = await watch({ servesOnceMore });
    const [trial] = await tryForgetting(tools, [{ edge }], true);
    expect([servesOnceMore, trial?.exact.state]).toEqual([servesOnceMore, state]);
  }
});

test("of edges in a row the outermost is looked at, and the first that fails ends it", async () => {
  const { tools, edge } = await watch({});
  const inner = toEdge({ name: "inner" });
  expect(await tryForgetting(tools, [{ edge: inner, patterns: "path" }, { edge }], true)).toEqual([
    { edge: "inner", patterns: "path", exact: { state: "not-held" } },
    { edge: "cache", exact: { state: "new" } },
  ]);
  const failure = { kind: "denied" } as never;
  const failing = (error: Error) => toEdge({ name: "inner", forget: () => Promise.reject(error) });
  expect(
    await tryForgetting(tools, [{ edge: failing(new EdgeError("inner", failure)) }, { edge }], true),
  ).toEqual([{ edge: "inner", exact: { state: "failed", failure } }]);
  const bug = new Error("a bug");
  await expect(tryForgetting(tools, [{ edge: failing(bug) }], true)).rejects.toBe(bug);
});

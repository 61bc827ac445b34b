import { MemoryStore } from "../adapters/stores/memory/memory-store.ts";
import { toProbeKeys } from "../core/diagnosis/checkup/probes.ts";
import { around } from "../../test/support/around.ts";
import { StoreError } from "../ports/object-store.ts";
import { toContent } from "./record.ts";
import { tryStore } from "./try-store.ts";

const HOUR_MS = 3_600_000;

test("a try of the store leaves nothing, and takes along what an earlier one left when it was killed", async () => {
  let nowMs = 0;
  const store = new MemoryStore(undefined, () => nowMs);
  const put = (key: string): Promise<unknown> => store.put(key, toContent(Buffer.from("x")), {});
  const left: string[] = [...Object.values({ ...toProbeKeys("run-0123abcd", "index.html") }), ".courier/probe-0123abcd.txt.copy"];
  for (const key of left.filter((name) => !name.endsWith("/"))) await put(key);
  // Names of the site that only look like it.
  const own = ["courier-probe-report/index.html", "courier-probe-0123abcd", ".courier/current.json"];
  for (const key of own) await put(key);
  nowMs += 2 * HOUR_MS;
  // Somebody else is trying just now.
  await put("courier-probe-4567abcd/index.html");
  await tryStore(store, { run: "run-89abcdef", keys: toProbeKeys("run-89abcdef", "index.html"), isServed: () => Promise.resolve(undefined) });
  const keys: string[] = [];
  for await (const { objects } of store.list()) keys.push(...objects.map(({ key }) => key));
  expect(keys).toEqual([...own, "courier-probe-4567abcd/index.html"].sort());
}); // prettier-ignore

test("each right that is missing is told by its own refusal, and the other tries go on", async () => {
  const store = new MemoryStore();
  const facts = { run: "run-89abcdef", keys: toProbeKeys("run-89abcdef", "index.html"), isServed: () => Promise.resolve(false) }; // prettier-ignore
  const refuse = (what: string) => () =>
    Promise.reject(new StoreError("denied", "no", { action: { do: "use", key: what }, status: 403 }));
  for (const call of ["put", "get", "copy", "abandonUploads", "remove"] as const) {
    const trial = await tryStore(around(store, { [call]: refuse(call) }), facts);
    expect(trial.denials).toEqual([{ kind: "denied", action: { do: "use", key: call }, status: 403 }]);
    expect([call, trial.canWrite, trial.condition, trial.records]).toEqual(
      call === "put"
        ? [call, false, undefined, undefined]
        : [call, true, "checked", { isServed: false, isPublic: false }],
    );
  }
  const broken = around(store, { copy: () => Promise.reject(new StoreError("server", "no", { action: { do: "use", key: "" } })) }); // prettier-ignore
  await expect(tryStore(broken, facts)).rejects.toMatchObject({ kind: "server" });
  const toConditions = (kind: "conditions-unsupported" | "server") =>
    around(store, {
      put: (...args) =>
        args[3]
          ? Promise.reject(new StoreError(kind, "no", { action: { do: "use", key: "" } }))
          : store.put(...args),
    });
  expect((await tryStore(toConditions("conditions-unsupported"), facts)).condition).toBe("unsupported");
  await expect(tryStore(toConditions("server"), facts)).rejects.toMatchObject({ kind: "server" });
});

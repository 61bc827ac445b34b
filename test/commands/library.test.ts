import { jest } from "@jest/globals";
import { existsSync, mkdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { CourierError, compare, deliver, redeliver, survey, verify } from "../../src/library/index.ts";
import type { CourierEvent, Settings } from "../../src/library/index.ts";
import { temporaryFolder, walk, writeFiles } from "../support/builds.ts";
import { ProjectHere } from "../support/called-here.ts";
import { AT_ONCE, RunningSandbox } from "../support/program.ts";
import { readResult } from "../support/results.ts";
import { makeSmallSite } from "../support/small-site.ts";

const BUILDS = makeSmallSite();
const SECRET = "tide-table-47";
/** A secret that is a number of results, too. */
const NUMBER = 12_345_678;

let sandbox: RunningSandbox;
const { env } = process;
beforeAll(async () => {
  sandbox = await RunningSandbox.start();
  process.env = {
    ...{ PATH: env.PATH, HOME: temporaryFolder("home"), DEPLOY_TOKEN: SECRET, DOOR_PASSWORD: String(NUMBER) },
    ...{ AWS_ACCESS_KEY_ID: sandbox.facts.accessKeyId, AWS_SECRET_ACCESS_KEY: sandbox.facts.secretAccessKey },
    ...{ AWS_EC2_METADATA_DISABLED: "true", AWS_CONFIG_FILE: "/dev/null", AWS_SHARED_CREDENTIALS_FILE: "/dev/null" },
  };
}); // prettier-ignore
afterAll(async () => {
  process.env = env;
  await sandbox.stop();
});

/** Settings of a web root in a folder. */
function toShelf(own: Partial<Settings["destinations"][string]> = {}): { settings: Settings; root: string } {
  const root = join(temporaryFolder("shelf"), "www");
  mkdirSync(root);
  const shelf = { store: { kind: "folder" as const, folder: root }, ...own };
  return { root, settings: { site: "Pelican Sound Ferries", destinations: { shelf } } };
}

/** What a step fails with. */
async function failureOf(step: Promise<unknown>): Promise<CourierError> {
  const error: unknown = await step.then(
    () => undefined,
    (thrown: unknown) => thrown,
  );
  expect(error).toBeInstanceOf(CourierError);
  return error as CourierError;
}

test("the steps give what the commands print, with events, a report and the way back", async () => {
  const more = `    url: "${sandbox.facts.edge}"\n    edge: { kind: purge, nodes: ${JSON.stringify(sandbox.facts.pops)}, token: ${sandbox.facts.purgeToken}, query: ignored, ${AT_ONCE}, confirm: off }`;
  const project = new ProjectHere(sandbox.settings(`${BUILDS}/1`, more), sandbox.facts);
  const here = { folder: project.folder };
  expect(await survey(here)).toEqual(readResult("survey", (await project.run(["survey", "--format", "json"])).stdout));
  const planned = await compare(here);
  expect(planned).toEqual(await project.result(["compare"]));
  expect(planned).toMatchObject({ dryRun: true, release: 1, counts: { new: 17 } });

  const events: CourierEvent[] = [];
  const pages: string[] = [];
  const first = await deliver({
    ...{ ...here, commit: "4f2a91c", sequence: 7, note: `with ${SECRET}`, verify: true },
    onEvent: (event) => events.push(event),
    onReport: (page) => void pages.push(page),
  });
  expect(first).toMatchObject({ release: 1, previous: 0, verification: { findings: [] }, invalidation: { owed: [] } });
  expect(events.find(({ event }) => event === "gathered")).toMatchObject({ files: 17 });
  expect(events.find(({ event }) => event === "planned")).toMatchObject({ phases: expect.arrayContaining([expect.objectContaining({ phase: "switch" })]) as unknown });
  expect(events.filter(({ event }) => event === "step").length).toBeGreaterThanOrEqual(17);
  expect(events.at(-1)).toEqual({ event: "done", result: first });
  expect(pages).toEqual([expect.stringMatching(/^<!doctype html>[^]*release 1 is delivered/i)]);
  const refused: CourierEvent[] = [];
  const older = await failureOf(deliver({ ...here, build: `${BUILDS}/2`, sequence: 6, onEvent: (event) => refused.push(event) }));
  expect(older.code).toBe("refused");
  expect(refused.at(-1)).toMatchObject({ event: "refused", problems: [{ code: "older" }] });
  // Paths in a settings file start where it stands.
  expect(await deliver({ settings: join(project.folder, "courier.yaml"), build: `${BUILDS}/2` })).toMatchObject({ release: 2, counts: { stale: 2 } });
  expect(await verify({ ...here, sample: 5 })).toMatchObject({ release: 2, findings: [] });
  expect(await redeliver({ ...here, release: "previous", dryRun: true })).toMatchObject({ redelivers: 1, dryRun: true });
  expect(await redeliver({ ...here, release: "previous" })).toMatchObject({ release: 3, redelivers: 1 });

  const [, , one] = readResult("releases", (await project.run(["releases", "--format", "json"])).stdout).releases;
  expect(one).toMatchObject({ release: 1, commit: "4f2a91c", sequence: 7, note: "with [hidden]" });
}); // prettier-ignore

test("nothing is printed, and the process is as it was; two steps at once do not meet", async () => {
  const state = () => ({
    ...{ env: { ...process.env }, folder: process.cwd(), exit: process.exitCode },
    listeners: ["exit", "SIGINT", "SIGTERM", "SIGHUP", "warning", "uncaughtException"].map((name) => process.listenerCount(name)),
  });
  const said: unknown[] = [];
  const spies = [
    ...[process.stdout, process.stderr].map((stream) => jest.spyOn(stream, "write").mockImplementation((text) => said.push(text) > 0)),
    jest.spyOn(process, "emitWarning").mockImplementation((text) => void said.push(text)),
    jest.spyOn(process, "exit").mockImplementation((code) => { throw new Error(`exit ${code}`); }),
  ];
  const earlier = state();
  const shelves = [toShelf(), toShelf()];
  const told: string[][] = [[], []];
  const results = await Promise.all(
    shelves.map(({ settings }, index) =>
      deliver({ settings, build: `${BUILDS}/${index + 1}`, onEvent: ({ event }) => told[index]?.push(event) }),
    ),
  );
  // One that fails, one over the network, and an archive that is unpacked.
  await failureOf(deliver({ settings: "nowhere.yaml" }));
  await deliver({ settings: { ...toShelf().settings, destinations: { web: { store: { kind: "s3", bucket: sandbox.facts.bucket, endpoint: sandbox.facts.endpoint, region: sandbox.facts.region, prefix: "x/" } } } }, build: `${BUILDS}/1`, allow: ["wrong-base"] });
  // At one destination one waits for the other, and fails where it may not.
  const { settings } = toShelf();
  const here = ["1", "2"].map((build) => deliver({ settings, build: `${BUILDS}/${build}`, queueSeconds: 60 }));
  expect((await Promise.all(here)).map(({ release }) => release).sort()).toEqual([1, 2]);
  const hasty = [1, 2].map((build) => deliver({ settings, build: `${BUILDS}/${build}`, note: "at once" }));
  const ends = await Promise.allSettled(hasty);
  const failed = ends.flatMap((end) => (end.status === "rejected" ? [end.reason as CourierError] : []));
  expect([ends.length - failed.length > 0, failed.every(({ code }) => ["held", "moved-meanwhile"].includes(code))]).toEqual([true, true]);
  const later = state();
  for (const spy of spies) spy.mockRestore();
  expect(said).toEqual([]);
  expect(later).toEqual(earlier);
  expect(results.map(({ counts }) => counts.new)).toEqual([17, 17]);
  expect(told.map((events) => events.filter((event) => event === "done").length)).toEqual([1, 1]);
  for (const [index, { root }] of shelves.entries())
    expect(readFileSync(join(root, "index.html"), "utf8")).toBe(readFileSync(`${BUILDS}/${index + 1}/index.html`, "utf8"));
}); // prettier-ignore

test("a step that is stopped leaves the site whole, and the next one goes on from there", async () => {
  const { settings, root } = toShelf();
  await deliver({ settings, build: `${BUILDS}/1` });
  const page = readFileSync(join(root, "index.html"), "utf8");
  const second = { settings, build: `${BUILDS}/2` };

  const reason = new Error("the branch is gone");
  const early = await failureOf(deliver({ ...second, signal: AbortSignal.abort(reason) }));
  expect(early).toMatchObject({ code: "interrupted", cause: reason });
  for (const step of [survey, compare, verify])
    expect(await failureOf(step({ settings, ...(step !== verify && second), signal: AbortSignal.abort() }))).toMatchObject({ code: "interrupted" });

  const stop = new AbortController();
  const seen: CourierEvent[] = [];
  const stopped = await failureOf(
    deliver({
      ...{ ...second, signal: stop.signal },
      onEvent: (event) => {
        seen.push(event);
        if (event.event === "step") stop.abort(reason);
      },
    }),
  );
  expect(stopped).toMatchObject({ code: "interrupted", cause: reason, hint: expect.stringMatching(/make the same call again to go on from here/) as string });
  expect(readFileSync(join(root, "index.html"), "utf8")).toBe(page);
  // What a listener throws stops the step as well, and comes out as it is.
  const fault = new TypeError("a fault of the script");
  const listen = (at: CourierEvent["event"]) => ({ onEvent: ({ event }: CourierEvent) => { if (event === at) throw fault; } });
  await expect(deliver({ ...second, ...listen("phase") })).rejects.toBe(fault);
  expect(readFileSync(join(root, "index.html"), "utf8")).toBe(page);
  // Nobody holds the destination: the next run needs no wait.
  expect(await deliver(second)).toMatchObject({ release: 2, previous: 1 });
  expect(readFileSync(join(root, "index.html"), "utf8")).toBe(readFileSync(`${BUILDS}/2/index.html`, "utf8"));
  await expect(deliver({ ...second, build: `${BUILDS}/1`, ...listen("done") })).rejects.toBe(fault);
  expect(await compare({ ...second, build: `${BUILDS}/1` })).toMatchObject({ release: 3, previous: 3 });
}); // prettier-ignore

test("who must be asked is asked, and what is not said is not taken for yes", async () => {
  const { settings, root } = toShelf({ ask: true });
  writeFiles(root, { "index.html": "of somebody else" });
  const call = { settings, build: `${BUILDS}/1` };
  expect(await failureOf(deliver(call))).toMatchObject({ code: "answer-needed", hint: expect.stringContaining("confirm") as string });
  expect(await failureOf(deliver({ ...call, confirm: () => false }))).toMatchObject({ code: "answered-no" });
  const fault = new Error("no connection to whoever answers");
  await expect(deliver({ ...call, confirm: () => Promise.reject(fault) })).rejects.toBe(fault);
  const stop = new AbortController();
  const never = new Promise<boolean>(() => setTimeout(() => { stop.abort(); }, 10));
  expect(await failureOf(deliver({ ...call, signal: stop.signal, confirm: () => never }))).toMatchObject({ code: "interrupted" });
  expect(walk(root)).toEqual(["index.html"]);
  const asked: unknown[] = [];
  const confirm = (planned: { release: number }, question: { takesOver: readonly string[] }): boolean => asked.push([planned.release, question]) > 0;
  expect(await deliver({ ...call, confirm })).toMatchObject({ release: 1 });
  expect(asked).toEqual([[1, { takesOver: ["index.html"], reason: expect.stringContaining("would be written over: index.html") as string }]]);
  expect(await redeliver({ settings, release: "0", confirm: () => true })).toMatchObject({ release: 2 });
  expect(readFileSync(join(root, "index.html"), "utf8")).toBe("of somebody else");
}); // prettier-ignore

test("what can't be taken is told whole before anything is read, and no secret gets into an error", async () => {
  const { settings } = toShelf();
  const wrong = { settings, to: "", alow: [], allow: ["vanished"], sequence: 1.5, signal: {}, onEvent: "log", queueSeconds: -1 };
  const { code, message, hint } = await failureOf(deliver(wrong as object));
  expect([code, hint]).toEqual(["options-invalid", expect.stringContaining("docs/library.md")]);
  for (const part of ["deliver: ", "to: ", "alow", "allow.0: ", "sequence: ", "signal: should be an AbortSignal", "onEvent: should be a function", "queueSeconds: "])
    expect(message).toContain(part);
  expect(await failureOf(redeliver({ settings } as never))).toMatchObject({ code: "options-invalid", message: expect.stringContaining("redeliver: release: ") as string });
  expect(await failureOf(deliver("dist" as never))).toMatchObject({ code: "options-invalid" });

  const mistaken = { ...settings, build: { foldr: "dist" }, destinations: { shelf: { store: { kind: "folder", folder: "${NO_SUCH}" } } } };
  const invalid = await failureOf(compare({ settings: mistaken as never }));
  expect(invalid.code).toBe("settings-invalid");
  expect(invalid.message).toMatch(/build: .*foldr/);
  expect(invalid.message).toContain("the environment variable NO_SUCH is not set");
  expect(invalid.message).not.toMatch(/:\d+:\d+|undefined/);
  const loop: Record<string, unknown> = { site: "Pelican Sound Ferries" };
  loop.destinations = loop;
  expect(await failureOf(compare({ settings: loop as never }))).toMatchObject({ code: "settings-invalid" });
  const missing = await failureOf(deliver({ settings, build: `nowhere/${SECRET}` }));
  expect([missing.code, missing.message.includes(SECRET), JSON.stringify(missing.details).includes(SECRET)]).toEqual(["no-build", false, false]);
  expect(missing.message).toContain("[hidden]");
  expect(existsSync("nowhere")).toBe(false);
  const build = writeFiles(temporaryFolder("numbers"), { "index.html": "<p>ferries", [`films/${NUMBER}.webm`]: Buffer.alloc(NUMBER) });
  expect((await survey({ settings, build })).files).toContainEqual(expect.objectContaining({ path: "films/[hidden].webm", size: NUMBER }));
}); // prettier-ignore

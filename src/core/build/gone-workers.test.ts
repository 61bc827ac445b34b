import { createHash } from "node:crypto";
import { memoryBuild, memoryRules } from "../../../test/support/memory-build.ts";
import { analyseBuild } from "./analysis.ts";
import { decideGoneWorkers } from "./gone-workers.ts";
import { OWN_TEXTS } from "../../gather/own-texts.ts";
import { KEEP_OUT } from "./keep-out.ts";
import { RETIRED_WORKER } from "./retired-worker.ts";
import { workersOf, type DestinationState, type Waybill } from "../model/release.ts";

const PAGE = '<script>navigator.serviceWorker.register("tide.js", { scope: "/" })</script>';
const FILES = { "index.html": PAGE, "tide.js": "importScripts('/part.js')", "part.js": "1" };

const analyse = (files: Record<string, string>, retireWorkers = false, live?: Waybill) => {
  const state: DestinationState | undefined = live && { waybill: live, listing: [], storeTimeMs: 0 };
  return analyseBuild(memoryBuild(files).read([]), memoryRules({ retireWorkers }), state);
};

/** The release that a build makes. */
const toLive = ({ wanted: { parcels, workers } }: ReturnType<typeof analyse>): Waybill => ({
  ...{ site: "s", release: 1, run: "r", previous: 0, at: "", by: "", standing: [] },
  parcels,
  workers,
});

test("the hash of the worker that takes another away is its own", () => {
  for (const { hash, size } of [RETIRED_WORKER, KEEP_OUT]) {
    const text = OWN_TEXTS.get(hash) ?? "";
    expect([createHash("sha256").update(text).digest("hex"), Buffer.byteLength(text)]).toEqual([hash, size]);
  }
});

test("what a page registers is a worker by whatever name, and what that loads is written before it", () => {
  const { wanted } = analyse(FILES);
  expect(wanted.workers).toEqual(["tide.js"]);
  expect(wanted.parcels.map(({ key, role, roleReason }) => `${key} ${role} ${roleReason.code}`)).toEqual([
    "index.html entry entry",
    "part.js worker worker-part",
    "tide.js worker registered",
  ]);
});

test("a worker that is gone stops the delivery, unless another takes it away; that one may go", () => {
  const live = toLive(analyse(FILES));
  const gone = { "index.html": "plain" };
  const errors = (found: ReturnType<typeof analyse>): string[] =>
    found.findings.problems
      .filter(({ severity }) => severity === "error")
      .map(({ code, path }) => `${code} ${path ?? ""}`);
  expect(errors(analyse(gone, false, live))).toEqual(["worker-vanishes tide.js"]);
  const retiring = analyse(gone, true, live);
  expect(errors(retiring)).toEqual([]);
  const parcel = retiring.wanted.parcels.find(({ key }) => key === "tide.js");
  expect([parcel?.role, parcel?.storedHash, parcel?.headers["cache-control"], parcel?.headers["content-type"]]).toEqual([
    "worker", RETIRED_WORKER.hash, "public, max-age=0, must-revalidate", "text/javascript; charset=utf-8",
  ]); // prettier-ignore
  expect(retiring.wanted.workers).toEqual(["tide.js"]);
  expect(analyse(gone, true, toLive(retiring)).wanted.workers).toEqual(["tide.js"]);
  const after = analyse(gone, false, toLive(retiring));
  expect([errors(after), after.wanted.workers]).toEqual([[], []]);
});

test("a worker whose name carries a hash stands on for open tabs when the next one comes, and stops nothing", () => {
  const files = (hash: string): Record<string, string> => ({
    "index.html": `<script>navigator.serviceWorker.register("/tide-${hash}.js")</script>`,
    [`tide-${hash}.js`]: hash,
    "404.html": "<p>Not here</p>",
  });
  const live = toLive(analyse(files("2f0d3e8a")));
  const { wanted, findings } = analyse(files("91ac07be"), false, live);
  expect([wanted.workers, findings.problems]).toEqual([[], []]);
  expect(wanted.parcels.map(({ role }) => role)).toEqual(["notFound", "entry", "fingerprinted"]);
});

test("a record of before tells workers by their names, and a part of one is none", () => {
  const { workers: _, ...old } = toLive(analyse({ "index.html": "x", "sw.js": "importScripts('/part.js')", "part.js": "1" }));
  expect(workersOf(old)).toEqual(["sw.js"]);
  const { problems } = decideGoneWorkers({ paths: new Set(), live: old, rules: memoryRules() });
  expect(problems.map(({ path }) => path)).toEqual(["sw.js"]);
}); // prettier-ignore

import { analyseBuild, type Analysis } from "../../src/core/build/analysis.ts";
import type { DestinationState, Waybill } from "../../src/core/model/release.ts";
import { createFolderBuild } from "../../src/gather/folder-build.ts";
import { listRealBuilds, unpackRealBuild } from "../support/builds.ts";
import { memoryRules } from "../support/memory-build.ts";

const analyse = async (folder: string, state?: DestinationState): Promise<Analysis> =>
  analyseBuild(await createFolderBuild(folder).read([]), memoryRules(), state);

/** The state of a destination to which this was delivered. */
const stateAfter = ({ wanted: { parcels } }: Analysis): DestinationState => {
  const waybill: Waybill = {
    site: "s",
    release: 1,
    run: "r",
    previous: 0,
    at: "",
    by: "",
    parcels,
    standing: [],
  };
  return { waybill, listing: [], storeTimeMs: 0 };
};

const isMap = (path: string): boolean => /\.map(\.(br|gz))?$/.test(path);
const foundIn = ({ wanted: { parcels } }: Analysis): string[] =>
  parcels.filter(({ role }) => role === "fingerprinted").map(({ key }) => key);

const builds = listRealBuilds({ others: true });
let [wanted, found, wantedNext, foundNext] = [0, 0, 0, 0];

test.each(builds)(
  "$name: no name is taken for immutable that is not, and nearly all that are",
  async (archive) => {
    const { v1, v2, truth } = await unpackRealBuild(archive);
    const first = await analyse(v1);
    const second = await analyse(v2, stateAfter(first));
    for (const [analysis, right] of [
      [first, truth.fingerprinted.v1],
      [second, truth.fingerprinted.v2],
    ] as const) {
      expect(foundIn(analysis).filter((path) => !right.includes(path) || isMap(path))).toEqual([]);
    }
    const [right1, right2] = [truth.fingerprinted.v1, truth.fingerprinted.v2].map((paths) =>
      paths.filter((path) => !isMap(path)),
    );
    wanted += right1?.length ?? 0;
    wantedNext += right2?.length ?? 0;
    found += foundIn(first).length;
    foundNext += foundIn(second).length;
    expect(foundIn(first).length).toBeGreaterThanOrEqual(0.92 * (right1?.length ?? 0));
    expect(foundIn(second).length).toBeGreaterThanOrEqual(0.97 * (right2?.length ?? 0));
  },
);

test("over all builds, at least 92 % are found from one build and 97 % with an earlier one as evidence", () => {
  expect(wanted).toBeGreaterThan(60);
  expect([found / wanted >= 0.92, foundNext / wantedNext >= 0.97]).toEqual([true, true]);
});

test.each(builds)(
  "$name: references are found, and none that stops a delivery is called missing",
  async (archive) => {
    const { v1, v2 } = await unpackRealBuild(archive);
    for (const folder of [v1, v2]) {
      const { graph, problems } = (await analyse(folder)).findings;
      expect(graph.references.length).toBeGreaterThan(20);
      expect(problems.filter(({ severity }) => severity === "error")).toEqual([]);
      expect(problems.filter(({ code }) => code === "dead-link")).toEqual([]);
    }
  },
);

test("the demo's third build names a script that is not there, with page and line", async () => {
  const { problems } = (await analyse("demo/builds/3")).findings;
  expect(problems.filter(({ severity }) => severity === "error")).toEqual([
    expect.objectContaining({
      code: "missing-asset",
      path: "index.html",
      line: 10,
      facts: { address: "/assets/deckchairs-Q4ZTRW7M.js" },
    }),
  ]);
});

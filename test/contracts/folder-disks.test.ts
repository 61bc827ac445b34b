import { mkdirSync, readdirSync, readFileSync, statSync } from "node:fs";
import { join } from "node:path";
import { createFolderStore } from "../../src/adapters/stores/folder/folder-store.ts";
import type { Disk } from "../../src/adapters/stores/folder/disk.ts";
import type { ObjectStore } from "../../src/ports/object-store.ts";
import { deliver } from "../../src/workflows/deliver.ts";
import { redeliver } from "../../src/workflows/redeliver.ts";
import { temporaryFolder } from "../support/builds.ts";
import { foldingDisk, plainDisk, windowsDisk } from "../support/disks.ts";
import { memoryDelivery, type RuleChanges } from "../support/memory-build.ts";
import { needing } from "../support/needing.ts";
import { describeObjectStore, toContent, type StoreAbilities } from "./object-store.ts";

const OF_FOLDERS: StoreAbilities = {
  ...{
    conditions: "all",
    website: false,
    headers: false,
    copiesKeepEtags: false,
    anyName: false,
    listed: 105,
  },
};

const PLAIN = { dryRun: false, all: false };

/** A folder named `site` on a disk of a kind. */
function open(disk?: Disk): { readonly folder: string; readonly store: ObjectStore } {
  const folder = join(temporaryFolder("disk"), "site");
  mkdirSync(folder);
  return { folder, store: createFolderStore(folder, () => undefined, folder, disk) };
}

for (const [name, disk] of [
  ["a disk without hard links whose numbers of files are made up", plainDisk],
  ["a disk as Windows shows it, whose files are in use", windowsDisk()],
] as const)
  describeObjectStore(`folder on ${name}`, OF_FOLDERS, () => Promise.resolve(open(disk).store));

test("Windows: a file that stays in use is a failure that may pass, and the old one is whole", async () => {
  const disk = windowsDisk(1000, /page/);
  const { folder, store } = open(disk);
  await store.put("page.html", toContent("old"), {});
  await expect(store.put("page.html", toContent("new"), {})).rejects.toMatchObject({ kind: "server" });
  expect(readFileSync(join(folder, "page.html"), "utf8")).toBe("old");
  expect(disk.pauses.reduce((sum, ms) => sum + ms, 0)).toBeGreaterThan(2500);
  expect(readdirSync(join(folder, ".courier/unfinished"))).toEqual([]);
});

/** Files of a site, below its folder, and what is in them. */
const listSite = (folder: string): Record<string, string> =>
  Object.fromEntries(
    readdirSync(folder, { recursive: true, withFileTypes: true })
      .filter((entry) => entry.isFile() && !entry.parentPath.includes(".courier"))
      .map((entry) => join(entry.parentPath, entry.name))
      .map((path) => [path.slice(folder.length + 1), readFileSync(path, "utf8")]),
  );

const ENTRY = { "index.html": "<title>Pelican Sound</title>" };

test("where a disk does not tell case apart, a rename by case alone is nothing to deliver, and no content is lost", async () => {
  const { folder, store } = open(foldingDisk);
  const run = async (files: Record<string, string>) => {
    const { release, changes, pruned } = await deliver(memoryDelivery({ files: { ...ENTRY, ...files }, store }), PLAIN); // prettier-ignore
    return [release, changes.map(({ key, change }) => `${change} ${key}`), pruned];
  };
  expect((await run({ "Logo.svg": "one", "News/a.html": "a" }))[0]).toBe(1);
  const isSame = [1, [], []];
  expect(await run({ "logo.svg": "one", "news/a.html": "a" })).toEqual(isSame);
  // A new content under the new name is a replacement; the same again is nothing.
  expect(await run({ "logo.svg": "two", "news/a.html": "a" })).toEqual([2, ["replaced logo.svg"], []]);
  expect(await run({ "logo.svg": "two", "news/a.html": "a" })).toEqual([2, [], []]);
  expect(listSite(folder)).toMatchObject({ "Logo.svg": "two", "News/a.html": "a" });
  await redeliver(memoryDelivery({ files: {}, store }), "1", PLAIN);
  expect(listSite(folder)).toMatchObject({ "Logo.svg": "one", "News/a.html": "a" });
});

test("names that Windows can't hold are refused before the first write, of a build and of a release that is put back", async () => {
  const { folder, store } = open();
  const files = { ...ENTRY, "aux/map.html": "m", "a.": "a", "x:y": "s", "console.html": "c" };
  const rules = (plainNames: "windows" | "posix"): RuleChanges => ({ endpoint: { plainNames } });
  const there = memoryDelivery({ files, store, rules: rules("windows") });
  await expect(deliver(there, PLAIN)).rejects.toMatchObject({
    code: "refused",
    data: { problems: ["a.", "aux/map.html", "x:y"].map((path) => expect.objectContaining({ code: "unfit-name", path }) as unknown) }, // prettier-ignore
  });
  expect(listSite(folder)).toEqual({});
  await deliver(memoryDelivery({ files, store, rules: rules("posix") }), PLAIN);
  await deliver(memoryDelivery({ files: ENTRY, store, rules: rules("posix") }), PLAIN);
  const before = listSite(folder);
  await expect(redeliver(memoryDelivery({ files: {}, store, rules: rules("windows") }), "1", PLAIN)).rejects.toMatchObject({ code: "refused" }); // prettier-ignore
  expect(listSite(folder)).toEqual(before);
});

needing("modes of files")(
  "what is delivered can be read by whoever serves it, whatever the user keeps private; the tool's own part stays as it is",
  async () => {
    const before = process.umask(0o077);
    try {
      const { folder, store } = open();
      await store.put("news/page.html", toContent("p"), {});
      await store.put(".courier/hold.json", toContent("h"), {});
      const modes = ["news", "news/page.html", ".courier/hold.json"].map(
        (path) => statSync(join(folder, path)).mode & 0o777,
      );
      expect(modes).toEqual([0o755, 0o644, 0o600]);
      process.umask(0o027);
      await store.put("other/page.html", toContent("p"), {});
      // Somebody who shares with a group only means just that.
      expect(statSync(join(folder, "other/page.html")).mode & 0o777).toBe(0o640);
    } finally {
      process.umask(before);
    }
  },
);

import { hash } from "node:crypto";
import {
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  utimesSync,
  writeFileSync,
} from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { openHashCache } from "./hash-cache.ts";
import { hashBuild } from "./hash-files.ts";
import { scanBuild } from "./scan-build.ts";

const makeFolder = (): string => mkdtempSync(join(tmpdir(), "courier-test-cache-"));
const LATER = 60_000;

/** Reads a build as a run does that begins at `nowMs`. */
function read(folder: string, caches: string, nowMs: number) {
  return hashBuild(folder, scanBuild(folder, []), openHashCache({ folder: caches, nowMs }, folder));
}

function makeBuild(): { folder: string; caches: string } {
  const folder = makeFolder();
  writeFileSync(join(folder, "index.html"), '<script src="app-1f2e3d4c.js"></script>');
  writeFileSync(join(folder, "app-1f2e3d4c.js"), "one");
  writeFileSync(join(folder, "plain"), "<!doctype html>");
  return { folder, caches: makeFolder() };
}

test("with the cache and without it a build reads the same, and an unchanged one is not read at all", async () => {
  const { folder, caches } = makeBuild();
  const without = await hashBuild(folder, scanBuild(folder, []));
  const first = await read(folder, caches, Date.now() + LATER);
  const scan = scanBuild(folder, []);
  // Bytes that changed behind the cache's back, stamps kept: only a cache that is used can miss that.
  writeFileSync(join(folder, "plain"), "<!DOCTYPE html>");
  const again = await hashBuild(folder, scan, openHashCache({ folder: caches, nowMs: Date.now() + LATER }, folder));
  for (const build of [first, again]) {
    expect(build.files.map(({ path, hash, size, references, secrets }) => ({ path, hash, size, references, secrets }))).toEqual(
      without.files.map(({ path, hash, size, references, secrets }) => ({ path, hash, size, references, secrets })),
    );
    expect(build.namedTokens).toEqual(without.namedTokens);
    expect(Buffer.from(build.files[2]?.head ?? []).toString()).toBe("<!doctype html>");
  }
}); // prettier-ignore

test("the race: a file that was touched within the clock's step before the run is read again by the next one", async () => {
  const { folder, caches } = makeBuild();
  const path = join(folder, "app-1f2e3d4c.js");
  await read(folder, caches, Date.now());
  const scan = scanBuild(folder, []);
  // Changed again, with the same size, inode and times, as a coarse clock would show it.
  writeFileSync(path, "two");
  const again = await hashBuild(folder, scan, openHashCache({ folder: caches, nowMs: Date.now() }, folder));
  expect(again.files.find((file) => file.path === "app-1f2e3d4c.js")?.hash).toBe(
    (await hashBuild(folder, scanBuild(folder, []))).files[0]?.hash,
  );
});

test("a changed file, a file put back with its old time, and new names to look for are noticed", async () => {
  const { folder, caches } = makeBuild();
  const before = await read(folder, caches, Date.now() + LATER);
  const path = join(folder, "app-1f2e3d4c.js");
  const { atime, mtime } = statSync(path);
  writeFileSync(path, "two");
  utimesSync(path, atime, mtime);
  const after = await read(folder, caches, Date.now() + LATER);
  expect(after.files[0]?.hash).not.toBe(before.files[0]?.hash);
  writeFileSync(join(folder, "more-2f3e4d5c.js"), "x");
  writeFileSync(join(folder, "index.html"), '<script src="more-2f3e4d5c.js"></script>');
  expect([...(await read(folder, caches, Date.now() + LATER)).namedTokens]).toEqual([
    ["2f3e4d5c", "index.html"],
  ]);
});

test("a damaged cache, one of another version, and a folder that can't be written cost only time", async () => {
  const { folder, caches } = makeBuild();
  const right = await read(folder, caches, Date.now() + LATER);
  const files = readdirSync(caches).sort();
  expect(files.map((file) => file.slice(file.lastIndexOf(".")))).toEqual([".contents", ".json"]);
  for (const file of files) {
    const whole = readFileSync(join(caches, file), "latin1");
    const damages = ["", "x", whole.slice(0, -20), whole.replace(/shapes|paths/, "shapeS")];
    const older = ["{", '{"format":"restless-courier/hash-cache/0"}', checked('{"format":"older"}\n')];
    for (const text of [...damages, ...older]) {
      writeFileSync(join(caches, file), text, "latin1");
      const told: string[] = [];
      const place = {
        folder: caches,
        nowMs: Date.now() + LATER,
        onDamaged: (name: string) => told.push(name),
      };
      expect((await hashBuild(folder, scanBuild(folder, []), openHashCache(place, folder))).files).toEqual(
        right.files,
      );
      expect([text, told]).toEqual([text, damages.includes(text) ? [join(caches, file)] : []]);
    }
  }
  rmSync(caches, { recursive: true });
  writeFileSync(caches, "a file where the folder should be");
  expect((await read(folder, caches, Date.now() + LATER)).files).toEqual(right.files);
});

const checked = (text: string): string => `${hash("sha256", text)}\n${text}`;

test("what a content says is read once, however often its files are written anew or moved", async () => {
  const { folder, caches } = makeBuild();
  const before = await read(folder, caches, Date.now() + LATER);
  const contents = join(caches, readdirSync(caches).find((file) => file.endsWith(".contents")) ?? "");
  const { ino } = statSync(contents);
  for (const file of readdirSync(folder)) {
    const bytes = readFileSync(join(folder, file));
    rmSync(join(folder, file));
    writeFileSync(join(folder, file), bytes);
  }
  mkdirSync(join(folder, "docs"));
  writeFileSync(join(folder, "docs/index.html"), readFileSync(join(folder, "index.html")));
  const after = await read(folder, caches, Date.now() + LATER);
  expect(after.files.filter(({ path }) => path !== "docs/index.html")).toEqual(before.files);
  expect(after.files.find(({ path }) => path === "docs/index.html")?.references).toHaveLength(1);
  // Nothing was added to what is known of contents, so it was not written.
  expect(statSync(contents).ino).toBe(ino);
  writeFileSync(join(folder, "plain"), "<!doctype HTML>");
  await read(folder, caches, Date.now() + LATER);
  expect(statSync(contents).ino).not.toBe(ino);
});

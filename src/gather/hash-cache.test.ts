import { mkdtempSync, readdirSync, readFileSync, rmSync, statSync, utimesSync, writeFileSync } from "node:fs";
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

test("with the cache and without it a build reads the same, and an unchanged one is not read at all", () => {
  const { folder, caches } = makeBuild();
  const without = hashBuild(folder, scanBuild(folder, []));
  const first = read(folder, caches, Date.now() + LATER);
  const scan = scanBuild(folder, []);
  // Bytes that changed behind the cache's back, stamps kept: only a cache that is used can miss that.
  writeFileSync(join(folder, "plain"), "<!DOCTYPE html>");
  const again = hashBuild(folder, scan, openHashCache({ folder: caches, nowMs: Date.now() + LATER }, folder));
  for (const build of [first, again]) {
    expect(build.files.map(({ path, hash, size, references, secrets }) => ({ path, hash, size, references, secrets }))).toEqual(
      without.files.map(({ path, hash, size, references, secrets }) => ({ path, hash, size, references, secrets })),
    );
    expect(build.namedTokens).toEqual(without.namedTokens);
    expect(Buffer.from(build.files[2]?.head ?? []).toString()).toBe("<!doctype html>");
  }
}); // prettier-ignore

test("the race: a file that was touched within the clock's step before the run is read again by the next one", () => {
  const { folder, caches } = makeBuild();
  const path = join(folder, "app-1f2e3d4c.js");
  read(folder, caches, Date.now());
  const scan = scanBuild(folder, []);
  // Changed again, with the same size, inode and times, as a coarse clock would show it.
  writeFileSync(path, "two");
  const again = hashBuild(folder, scan, openHashCache({ folder: caches, nowMs: Date.now() }, folder));
  expect(again.files.find((file) => file.path === "app-1f2e3d4c.js")?.hash).toBe(
    hashBuild(folder, scanBuild(folder, [])).files[0]?.hash,
  );
});

test("a changed file, a file put back with its old time, and new names to look for are noticed", () => {
  const { folder, caches } = makeBuild();
  const before = read(folder, caches, Date.now() + LATER);
  const path = join(folder, "app-1f2e3d4c.js");
  const { atime, mtime } = statSync(path);
  writeFileSync(path, "two");
  utimesSync(path, atime, mtime);
  const after = read(folder, caches, Date.now() + LATER);
  expect(after.files[0]?.hash).not.toBe(before.files[0]?.hash);
  writeFileSync(join(folder, "more-2f3e4d5c.js"), "x");
  writeFileSync(join(folder, "index.html"), '<script src="more-2f3e4d5c.js"></script>');
  expect([...read(folder, caches, Date.now() + LATER).namedTokens]).toEqual([["2f3e4d5c", "index.html"]]);
});

test("a damaged cache, one of another version, and a folder that can't be written cost only time", () => {
  const { folder, caches } = makeBuild();
  const right = read(folder, caches, Date.now() + LATER);
  const [file = ""] = readdirSync(caches);
  const whole = readFileSync(join(caches, file), "utf8");
  const damages = ["", "x", whole.slice(0, -20), whole.replace("index.html", "indeX.html")];
  const older = [
    "{",
    '{"format":"restless-courier/hash-cache/0"}',
    '{"format":"restless-courier/hash-cache/4"}',
  ];
  for (const text of [...damages, ...older]) {
    writeFileSync(join(caches, file), text);
    const told: string[] = [];
    const place = { folder: caches, nowMs: Date.now() + LATER, onDamaged: (name: string) => told.push(name) };
    expect(hashBuild(folder, scanBuild(folder, []), openHashCache(place, folder)).files).toEqual(right.files);
    expect([text, told.length]).toEqual([text, damages.includes(text) ? 1 : 0]);
  }
  rmSync(caches, { recursive: true });
  writeFileSync(caches, "a file where the folder should be");
  expect(read(folder, caches, Date.now() + LATER).files).toEqual(right.files);
});

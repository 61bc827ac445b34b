import {
  closeSync,
  ftruncateSync,
  mkdirSync,
  openSync,
  readFileSync,
  rmSync,
  writeFileSync,
  writeSync,
} from "node:fs";
import { once } from "node:events";
import { join } from "node:path";
import { temporaryFolder } from "../support/builds.ts";
import { needing } from "../support/needing.ts";
import { Project, RunningSandbox } from "../support/program.ts";
import { openStore } from "../support/stored-site.ts";
import { isSoak } from "../support/seeds.ts";

const MOST_BYTES = 250_000_000;

/** Runs the program to its end. @returns the most memory that it had, in bytes (proc(5), VmHWM) */
async function measure(
  project: Project,
  args: readonly string[],
): Promise<{ exit: number | null; peak: number; said: string }> {
  const child = project.start(args);
  let [peak, said] = [0, ""];
  child.stdout?.on("data", (chunk) => (said += String(chunk)));
  child.stderr?.on("data", (chunk) => (said += String(chunk)));
  const look = setInterval(() => {
    try {
      const status = readFileSync(`/proc/${child.pid}/status`, "utf8");
      peak = Math.max(peak, Number(/VmHWM:\s+(\d+) kB/.exec(status)?.[1] ?? 0) * 1024);
    } catch {
      // It has just ended.
    }
  }, 20);
  const [exit] = (await once(child, "close")) as [number | null];
  clearInterval(look);
  return { exit, peak, said };
}

const canMeasure = needing("the memory of a process in /proc");

canMeasure(
  "a large file is sent in parts and never wholly in memory",
  async () => {
    const size = isSoak ? 3_000_000_000 : 200_000_000;
    const build = temporaryFolder("large");
    writeFileSync(
      join(build, "index.html"),
      "<!doctype html><title>Films</title><a href='/film.bin'>film</a>",
    );
    const file = openSync(join(build, "film.bin"), "w");
    ftruncateSync(file, size);
    // Not the same everywhere, so that parts in the wrong order would be noticed.
    for (let at = 0; at < size; at += 10_000_000) writeSync(file, `here is ${at}`, at);
    closeSync(file);
    const sandbox = await RunningSandbox.start();
    const project = new Project(sandbox.settings(build), sandbox.facts);
    const { exit, peak, said } = await measure(project, ["deliver", "--yes"]);
    process.stdout.write(`${size} bytes in one file: ${Math.round(peak / 1e6)} MB at most\n`);
    expect([exit, exit === 0 ? "" : said]).toEqual([0, ""]);
    expect(await openStore(sandbox, "").head("film.bin")).toMatchObject({ size });
    expect(peak).toBeGreaterThan(10_000_000);
    expect(peak).toBeLessThan(MOST_BYTES);
    // A second look finds nothing to do: what was put together is what was promised.
    expect((await project.result(["compare"])).changes).toEqual([]);
    expect(sandbox.takeLedger().filter(({ operation }) => operation === "UploadPart").length).toBeGreaterThan(
      5,
    );
    await sandbox.stop();
    rmSync(build, { recursive: true });
    rmSync(sandbox.data, { recursive: true });
  },
  900_000,
);

canMeasure(
  "many small files take no memory each",
  async () => {
    const count = isSoak ? 50_000 : 2_000;
    const build = temporaryFolder("many");
    writeFileSync(join(build, "index.html"), "<!doctype html><title>Timetables</title>");
    for (let number = 0; number < count; number++) {
      const folder = join(build, `timetables/${number % 200}`);
      if (number < 200) mkdirSync(folder, { recursive: true });
      writeFileSync(join(folder, `${number}.json`), `{"crossing":${number}}`);
    }
    const sandbox = await RunningSandbox.start();
    const project = new Project(sandbox.settings(build), sandbox.facts);
    const first = await measure(project, ["deliver"]);
    const second = await measure(project, ["deliver"]);
    process.stdout.write(
      `${count} files: ${Math.round(first.peak / 1e6)} MB at most, ${Math.round(second.peak / 1e6)} MB with nothing to do\n`,
    );
    expect([first.exit, second.exit]).toEqual([0, 0]);
    expect(first.peak).toBeLessThan(MOST_BYTES);
    // A look at everything that stands, beside everything that is built.
    expect(second.peak).toBeLessThan(MOST_BYTES);
    await sandbox.stop();
    rmSync(build, { recursive: true });
    rmSync(sandbox.data, { recursive: true });
  },
  900_000,
);

import { gunzipSync } from "node:zlib";
import type { ObjectStore } from "../../src/ports/object-store.ts";
import type { Project } from "./program.ts";
import { listKeys } from "./stored-site.ts";

/** One call of the program and all that came back, without what is another one each time. */
export interface Call {
  readonly call: string;
  readonly exit: number | null;
  readonly stdout: unknown;
  readonly stderr: string;
}

/** What stands for a value in a record that is compared with one of another day, another machine. */
export type Hide = (text: string) => string;

/**
 * @param places folders and hosts of this run, by what stands for them
 * @param user who runs it
 */
export function createHide(places: Readonly<Record<string, string>>, user = "nobody"): Hide {
  const longestFirst = Object.entries(places).sort(([, a], [, b]) => b.length - a.length);
  return (text) =>
    longestFirst
      .reduce((hidden, [name, value]) => hidden.split(value).join(name), text)
      .replace(/\d{8}T\d{6}-[0-9a-f]{8}/g, "RUN")
      .replace(/\d{4}-\d\d-\d\d[T ]\d\d:\d\d(:\d\d(\.\d+)?Z?)?/g, "TIME")
      // A busy machine is slower than a minute.
      .replace(/(just now|\d+ min ago) +\(TIME UTC\) */g, "AGO (TIME UTC)  ")
      .replace(/courier-probe-[0-9a-f]{8}/g, "courier-probe-RUN")
      .replace(/\.courier\/probe-[0-9a-f]{8}/g, ".courier/probe-RUN")
      .replace(/\bcourier-[0-9a-f]{8}\b/g, "courier-RUN")
      .replace(/"(seconds|process|announcedMs|ageSeconds)":\s*[\d.]+/g, '"$1":0')
      .replace(/"(host|processStart|waybillHash)":\s*"[^"]*"/g, '"$1":"…"')
      .split(`"by":"${user}"`)
      .join('"by":"USER"')
      .replace(new RegExp(` +${user}( +|$)`, "gm"), (_, after: string) => (after === "" ? " USER" : " USER "))
      .replace(/"(\d{13})"|\b\d{13}\b/g, "0")
      .replace(/\d+(\.\d+)? s\b/g, "SECONDS")
      // A record is packed, and packs a little otherwise each time.
      .replace(/("key":"\.courier\/releases[^}]*"size":)\d+/g, "$10")
      .replace(/("bytes":)\d+(,"waiting")/g, "$10$2")
      .replace(/(\.courier\/releases\S+ +)[\d.]+ k?B/g, "$1SIZE")
      .replace(/[\d.]+ k?B(?=, (would be|were|was) removed)/g, "SIZE")
      .replace(/(\(process )\d+/g, "$10");
}

export async function recordCall(
  project: Pick<Project, "run">,
  args: readonly string[],
  hide: Hide,
  environment: NodeJS.ProcessEnv = {},
): Promise<Call> {
  const { exit, stdout, stderr } = await project.run(args, environment);
  const text = hide(stdout);
  const isJson = args.includes("json") && text.trim() !== "";
  const lines = text.trim().split("\n");
  return {
    call: hide(args.join(" ")),
    exit,
    stdout: isJson ? lines.map((line) => JSON.parse(line) as unknown) : text,
    stderr: hide(stderr),
  };
}

/** The tool's own records as they stand, unpacked. */
export async function recordState(store: ObjectStore, hide: Hide): Promise<Record<string, string[]>> {
  const records: Record<string, string[]> = {};
  for (const key of (await listKeys(store)).filter((name) => name.startsWith(".courier/"))) {
    const found = await store.get(key);
    if (!found) continue;
    const chunks: Uint8Array[] = [];
    for await (const chunk of found.body) chunks.push(chunk);
    const bytes = Buffer.concat(chunks);
    const text = key.endsWith(".gz") ? gunzipSync(bytes).toString("utf8") : bytes.toString("utf8");
    const isOwn = !key.startsWith(".courier/vault/");
    records[hide(key)] = isOwn ? hide(text).trim().split("\n") : [`${bytes.length} bytes`];
  }
  return records;
}

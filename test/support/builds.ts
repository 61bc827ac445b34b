import {
  createReadStream,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  writeFileSync,
} from "node:fs";
import { tmpdir } from "node:os";
import { dirname, join, sep } from "node:path";
import { createGunzip } from "node:zlib";
import { extract } from "tar-stream";

/** A real build in two versions, and what is true of it. */
export interface RealBuild {
  readonly name: string;
  readonly v1: string;
  readonly v2: string;
  readonly truth: {
    readonly added: readonly string[];
    readonly changed: readonly string[];
    readonly removed: readonly string[];
    readonly unchanged: number;
    readonly movedBytes: readonly string[];
    readonly fingerprinted: { readonly v1: readonly string[]; readonly v2: readonly string[] };
  };
}

/**
 * Those in the repository, and all others where COURIER_TEST_BUILDS names a folder of them.
 * @param others whether these others are wanted
 */
export function listRealBuilds({
  others,
}: {
  readonly others: boolean;
}): { name: string; archive: string }[] {
  const folders = ["test/builds", others ? process.env.COURIER_TEST_BUILDS : undefined].filter(
    (folder) => folder !== undefined && existsSync(folder),
  );
  const archives = folders.flatMap((folder) =>
    readdirSync(folder as string)
      .filter((name) => name.endsWith(".tar.gz"))
      .map((name) => join(folder as string, name)),
  );
  return [
    ...new Map(archives.map((archive) => [archive.replace(/^.*\/|\.tar\.gz$/g, ""), archive])).entries(),
  ].map(([name, archive]) => ({ name, archive }));
}

const unpacked = new Map<string, Promise<RealBuild>>();

export function unpackRealBuild({ name, archive }: { name: string; archive: string }): Promise<RealBuild> {
  const known = unpacked.get(archive) ?? unpack(name, archive);
  unpacked.set(archive, known);
  return known;
}

async function unpack(name: string, archive: string): Promise<RealBuild> {
  const folder = temporaryFolder(`build-${name}`);
  const entries = createReadStream(archive).pipe(createGunzip()).pipe(extract());
  for await (const entry of entries) {
    const path = join(folder, entry.header.name);
    if (entry.header.type === "directory") mkdirSync(path, { recursive: true });
    const chunks: Buffer[] = [];
    for await (const chunk of entry) chunks.push(chunk as Buffer);
    if (entry.header.type !== "file") continue;
    mkdirSync(dirname(path), { recursive: true });
    writeFileSync(path, Buffer.concat(chunks));
  }
  const root = join(folder, name);
  const truth = JSON.parse(readFileSync(join(root, "truth.json"), "utf8")) as RealBuild["truth"];
  return { name, v1: join(root, "v1"), v2: join(root, "v2"), truth };
}

export const temporaryFolder = (name: string): string => mkdtempSync(join(tmpdir(), `courier-test-${name}-`));

/** Writes files by path, folders made as needed. */
export function writeFiles(folder: string, files: Readonly<Record<string, string | Buffer>>): string {
  for (const [path, content] of Object.entries(files)) {
    mkdirSync(dirname(join(folder, path)), { recursive: true });
    writeFileSync(join(folder, path), content);
  }
  return folder;
}

export const walk = (folder: string): string[] =>
  readdirSync(folder, { recursive: true, withFileTypes: true })
    .filter((entry) => entry.isFile())
    .map((entry) =>
      join(entry.parentPath, entry.name)
        .slice(folder.length + 1)
        .replaceAll(sep, "/"),
    )
    .sort();

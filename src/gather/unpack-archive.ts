import { createReadStream, createWriteStream, mkdirSync, statSync } from "node:fs";
import { dirname, join } from "node:path";
import { Transform, type Readable } from "node:stream";
import { pipeline } from "node:stream/promises";
import { crc32, createGunzip } from "node:zlib";
import { extract } from "tar-stream";
import { openPromise } from "yauzl";
import { fitsWindows } from "../core/build/names-check.ts";
import { OperatorError } from "../core/model/failure.ts";
import { makeTemporaryFolder, toTemporaryFailure, type TemporaryFolder } from "../system/temporary-folder.ts";
import { toUnreadable } from "./unreadable.ts";

export const ARCHIVE = /\.(zip|tar|tar\.gz|tgz)$/i;

/** What an archive may unpack to before it is taken for a bomb: so much in all, and so many times its own size. */
const MOST_BYTES = 20e9;
const MOST_TIMES = 200;
const ALWAYS_ALLOWED_BYTES = 100e6;
const MOST_ENTRIES = 500_000;

/**
 * Unpacks a build's archive as a stream into a folder of its own, which `dispose` removes.
 * Names that lead out of it, links, special files, bombs, and archives that are cut off or damaged are refused
 * (`archive-refused`); nothing is left behind then. Throws `no-build` where there is no such file, `build-unreadable` where
 * it can't be read, and `temporary-failed` where there is no room for what is in it.
 */
export async function unpackArchive(file: string, platform = process.platform): Promise<TemporaryFolder> {
  const stat = statSync(file, { throwIfNoEntry: false });
  // Reading a pipe would wait for its other end.
  if (stat?.isFile() !== true) throw new OperatorError("no-build", { folder: file });
  const { folder, dispose } = makeTemporaryFolder("build");
  const target = new UnpackTarget({ file, folder, archiveBytes: stat.size, platform });
  try {
    await (/\.zip$/i.test(file) ? unpackZip(file, target) : unpackTar(file, target));
    return { folder, dispose };
  } catch (error) {
    dispose();
    throw error instanceof OperatorError ? error : toArchiveFailure(file, error);
  }
}

/** What the system answers where a name can't be written, however much room there is: that is a matter of the archive. */
const UNFIT = new Set(["EEXIST", "EISDIR", "ENOTDIR", "ENAMETOOLONG", "EINVAL", "EILSEQ"]);

function toArchiveFailure(file: string, error: unknown): OperatorError {
  const { syscall, path, code = "", message } = error as NodeJS.ErrnoException;
  if (syscall === "read" || path === file) return toUnreadable(file, error);
  if (syscall !== undefined && !UNFIT.has(code)) return toTemporaryFailure(error);
  return new OperatorError("archive-refused", { file, reason: `it can't be read: ${message}` }, {}, error);
}

interface UnpackFacts {
  readonly file: string;
  readonly folder: string;
  readonly archiveBytes: number;
  readonly platform: NodeJS.Platform;
}

/** Where entries go, and what they may not do. */
class UnpackTarget {
  private bytes = 0;
  private entries = 0;

  constructor(private readonly facts: UnpackFacts) {}

  refuse(reason: string): OperatorError {
    return new OperatorError("archive-refused", { file: this.facts.file, reason });
  }

  /** The place of an entry within the folder; throws where it has none. A folder is made for what it holds. */
  place(name: string): string {
    this.entries += 1;
    if (this.entries > MOST_ENTRIES) throw this.refuse(`it holds more than ${MOST_ENTRIES} files`);
    const path = name.replace(/^(\.\/)+/, "");
    const parts = path.split("/");
    if (
      name.startsWith("/") ||
      /^[a-z]:/i.test(name) ||
      name.includes("\\") ||
      name.includes("\0") ||
      parts.includes("..")
    ) {
      throw this.refuse(`the name ${name} leads out of it`);
    }
    if (this.facts.platform === "win32" && !fitsWindows(path.replace(/\/+$/, "")))
      throw this.refuse(`Windows can't hold a file of the name ${name}`);
    return join(this.facts.folder, ...parts);
  }

  /** @param sum the CRC-32 that the archive tells of the content; undefined: it tells none */
  async write(name: string, content: Readable, sum?: number): Promise<void> {
    const place = this.place(name);
    mkdirSync(dirname(place), { recursive: true });
    let found = 0;
    const count = new Transform({
      transform: (chunk: Buffer, _, done) => {
        this.bytes += chunk.length;
        if (sum !== undefined) found = crc32(chunk, found);
        done(this.isBomb() ? this.refuse("it unpacks to far more than it holds") : null, chunk);
      },
    });
    await pipeline(content, count, createWriteStream(place, { flags: "wx" }));
    if (sum !== undefined && found !== sum)
      throw this.refuse(`it is damaged: the bytes of ${name} do not have the checksum that it tells of them`);
  }

  private isBomb(): boolean {
    return (
      this.bytes > MOST_BYTES ||
      (this.bytes > ALWAYS_ALLOWED_BYTES && this.bytes > this.facts.archiveBytes * MOST_TIMES)
    );
  }
}

async function unpackTar(file: string, target: UnpackTarget): Promise<void> {
  const entries = extract();
  const end = new TarEnd();
  const source = createReadStream(file);
  const reading = /\.(tar\.gz|tgz)$/i.test(file)
    ? pipeline(source, createGunzip(), end.watch(), entries)
    : pipeline(source, end.watch(), entries);
  // Whichever ends first tells: a refusal ends the reading, a damaged file the unpacking.
  await Promise.all([reading, writeEntries(entries, target, end)]);
  if (!end.isWhole()) throw target.refuse("it is cut off: the mark of its end is missing");
}

const TAR_BLOCK = 512;

/** Watches for the end of a tar archive: two blocks of zeros behind all that it holds (POSIX.1-2017, pax, ustar format). */
class TarEnd {
  private bytes = 0;
  /** Bytes up to the last one that is not zero, or to the end of the last content, in whole blocks. */
  private held = 0;

  watch(): Transform {
    return new Transform({
      transform: (chunk: Buffer, _, done) => {
        let last = chunk.length;
        while (last > 0 && chunk[last - 1] === 0) last -= 1;
        if (last > 0) this.hold(this.bytes + last);
        this.bytes += chunk.length;
        done(null, chunk);
      },
    });
  }

  hold(bytes: number): void {
    this.held = Math.max(this.held, Math.ceil(bytes / TAR_BLOCK) * TAR_BLOCK);
  }

  isWhole(): boolean {
    return this.bytes >= this.held + 2 * TAR_BLOCK;
  }
}

/** Of a kind that the format does not name there is no type, whatever the library says; the offset of the content it leaves out. */
interface TarHeader {
  readonly name: string;
  readonly type?: string | null;
  readonly size: number;
  readonly byteOffset: number;
}

async function writeEntries(
  entries: ReturnType<typeof extract>,
  target: UnpackTarget,
  end: TarEnd,
): Promise<void> {
  for await (const entry of entries) {
    const { name, type, size, byteOffset } = entry.header as unknown as TarHeader;
    // A content may end in zeros.
    end.hold(byteOffset + size);
    if (type === "directory") target.place(name);
    else if (type === "file" || type === "contiguous-file")
      await target.write(name, entry as unknown as Readable);
    else throw target.refuse(`${name} is a ${type ?? "special file"}, and only files are shipped`);
    entry.resume();
  }
}

const FILE_TYPE = 0o170000;
const REGULAR = 0o100000;
const FOLDER = 0o040000;

async function unpackZip(file: string, target: UnpackTarget): Promise<void> {
  const zip = await openPromise(file, { lazyEntries: true, strictFileNames: true, validateEntrySizes: true });
  try {
    for await (const entry of zip.eachEntry()) {
      const type = (entry.externalFileAttributes >>> 16) & FILE_TYPE;
      if (type !== 0 && type !== REGULAR && type !== FOLDER)
        throw target.refuse(`${entry.fileName} is a link or a special file, and only files are shipped`);
      if (entry.fileName.endsWith("/")) target.place(entry.fileName);
      else await target.write(entry.fileName, await zip.openReadStreamPromise(entry), entry.crc32);
    }
  } finally {
    zip.close();
  }
}

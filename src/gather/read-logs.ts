import { createReadStream, readdirSync, statSync } from "node:fs";
import { basename, join } from "node:path";
import { pipeline, Readable } from "node:stream";
import { StringDecoder } from "node:string_decoder";
import { constants, createGunzip, type ZlibOptions } from "node:zlib";

/** One log, wherever it stands. */
export interface LogFile {
  /** What people call it. */
  readonly name: string;
  /** Its bytes, as they stand there. */
  readonly open: () => AsyncIterable<Uint8Array>;
  /** It can't be opened twice. */
  readonly isOnce?: true;
}

/** A line that is longer is none of a log, and is not held in memory. */
const MOST_LINE = 64 * 1024;
const READ_BYTES = 1024 * 1024;
const SMALL_BYTES = 1024;
/** What a packed file begins with (RFC 1952 §2.3.1). */
const MARK_BYTES = 2;

/**
 * Hands on the lines of a log, one after the other, packed (gzip, by its first bytes) or not.
 * @returns whether it was read to its end: `cut` is what a log that is just being written, packed or moved away looks like
 */
export async function readLog(
  { open, isOnce }: LogFile,
  onLine: (line: string) => void,
): Promise<"whole" | "cut"> {
  const splitter = new LineSplitter(onLine);
  let taken = 0;
  try {
    for await (const chunk of unpacked(open())) {
      taken += chunk.length;
      splitter.take(chunk);
    }
    splitter.end();
    return "whole";
  } catch (error) {
    if (!isDamage(error)) throw error;
  }
  // What was unpacked last is lost with the failure. It is unpacked once more, as far as it goes.
  if (isOnce !== true) await takeRest(open(), taken, splitter);
  splitter.end();
  return "cut";
}

const isDamage = (error: unknown): boolean =>
  /^Z_(BUF|DATA)_ERROR$/.test((error as NodeJS.ErrnoException).code ?? "");

/** What a damaged log holds behind what was taken of it already. @param taken bytes, unpacked */
async function takeRest(
  chunks: AsyncIterable<Uint8Array>,
  taken: number,
  splitter: LineSplitter,
): Promise<void> {
  let seen = 0;
  try {
    for await (const chunk of unpacked(chunks, {
      finishFlush: constants.Z_SYNC_FLUSH,
      chunkSize: SMALL_BYTES,
    })) {
      splitter.take(chunk.subarray(Math.max(taken - seen, 0)));
      seen += chunk.length;
    }
  } catch (error) {
    if (!isDamage(error)) throw error;
  }
}

/** Files of logs: those that are named, and all in folders that are named, hidden ones left out; `-` is standard input. */
export function findLogFiles(names: readonly string[], stdin: () => AsyncIterable<Uint8Array>): LogFile[] {
  return names.flatMap((name): LogFile[] => {
    if (name === "-") return [{ name: "standard input", open: stdin, isOnce: true }];
    if (!statSync(name).isDirectory()) return [toLogFile(name)];
    return readdirSync(name, { recursive: true, withFileTypes: true })
      .filter((entry) => entry.isFile() && !entry.name.startsWith("."))
      .map(({ parentPath, name: own }) => join(parentPath, own))
      .sort()
      .map(toLogFile);
  });
}

const toLogFile = (path: string): LogFile => ({
  name: basename(path),
  open: () => createReadStream(path, { highWaterMark: READ_BYTES }),
});

/** Bytes as they were before they were packed. */
async function* unpacked(
  chunks: AsyncIterable<Uint8Array>,
  options: ZlibOptions = {},
): AsyncIterable<Uint8Array> {
  const iterator = chunks[Symbol.asyncIterator]();
  let start = Buffer.alloc(0);
  let next = await iterator.next();
  while (next.done !== true && start.length + next.value.length < MARK_BYTES) {
    start = Buffer.concat([start, next.value]);
    next = await iterator.next();
  }
  const all = async function* (): AsyncIterable<Uint8Array> {
    yield start;
    for (; next.done !== true; next = await iterator.next()) yield next.value;
  };
  const [one, two] = next.done === true ? start : Buffer.concat([start, next.value.subarray(0, MARK_BYTES)]);
  const isPacked = one === 0x1f && two === 0x8b;
  if (!isPacked) {
    yield* all();
    return;
  }
  const gunzip = createGunzip({ chunkSize: READ_BYTES, ...options });
  // What fails before it fails it, too.
  pipeline(Readable.from(all()), gunzip, () => undefined);
  yield* gunzip as AsyncIterable<Uint8Array>;
}

/** Cuts text at its line ends, whatever pieces it comes in. */
class LineSplitter {
  private readonly decoder = new StringDecoder("utf8");
  private rest = "";
  private isTooLong = false;

  constructor(private readonly onLine: (line: string) => void) {}

  take(chunk: Uint8Array): void {
    const text = this.rest + this.decoder.write(chunk);
    let start = 0;
    for (let end = text.indexOf("\n"); end !== -1; end = text.indexOf("\n", start)) {
      this.hand(text.slice(start, end));
      start = end + 1;
    }
    this.rest = text.slice(start);
    if (this.rest.length <= MOST_LINE) return;
    this.isTooLong = true;
    this.rest = "";
  }

  end(): void {
    if (this.rest !== "" || this.isTooLong) this.hand(this.rest);
    this.rest = "";
  }

  private hand(line: string): void {
    const isWhole = !this.isTooLong && line.length <= MOST_LINE;
    this.isTooLong = false;
    // Something that no format takes, so that it is counted.
    this.onLine(isWhole ? line : "too long");
  }
}

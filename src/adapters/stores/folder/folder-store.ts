import { createHash, randomUUID } from "node:crypto";
import { constants, createWriteStream, type Stats } from "node:fs";
import { link, mkdir, open, readdir, rename, rm, rmdir, stat, utimes, copyFile } from "node:fs/promises";
import { dirname, join, relative, resolve, sep } from "node:path";
import { pipeline } from "node:stream/promises";
import { Readable, Transform } from "node:stream";
import { byUtf8, STATE_PREFIX, type ObjectKey } from "../../../core/model/names.ts";
import type { ListedObject, ObjectHeaders } from "../../../core/model/parcel.ts";
import type { StoreAction } from "../../../core/model/store-action.ts";
import {
  StoreError,
  type Condition,
  type Content,
  type CopySource,
  type CountRequest,
  type ListPage,
  type ObjectFacts,
  type ObjectStore,
  type ReadObject,
  type Written,
} from "../../../ports/object-store.ts";
import { toFolderError } from "./failures.ts";
import { withLock } from "./lock.ts";

/** Half-written files live here until they are whole; on the same file system as what they become. */
const UNFINISHED = ".courier/unfinished";
/** Not every system knows such a flag; there it counts as 0. */
const READ_NOW = constants.O_RDONLY | constants.O_NONBLOCK;
/** Web servers tell versions of a file apart by its time in whole seconds. */
const TIME_STEP_MS = 1000;

/**
 * A folder that a web server reads from. Files appear whole or not at all: each is written beside the others, flushed,
 * and renamed. Headers are the web server's business: none are kept.
 * @param within the folder that must be there: `folder` itself, or one above it; then `folder` comes with its first file and
 * goes with its last
 */
export function createFolderStore(folder: string, count: CountRequest, within = folder): ObjectStore {
  return new FolderStore(resolve(folder), resolve(within), count);
}

class FolderStore implements ObjectStore {
  readonly location;
  readonly carriesHeaders = false;
  readonly listsFromAnywhere = false;

  constructor(
    private readonly root: string,
    private readonly within: string,
    private readonly count: CountRequest,
  ) {
    this.location = { endpoint: root, bucket: "", prefix: "", region: "" };
  }

  async *list(below = ""): AsyncIterable<ListPage> {
    this.count("list");
    const objects: ListedObject[] = [];
    await this.try({ do: "list-folder" }, async () => {
      // The folder of what is asked for, so that a look at one record does not walk a whole site.
      const start = below.slice(0, below.lastIndexOf("/") + 1);
      await this.walk(start, below, objects);
    });
    objects.sort((a, b) => byUtf8(a.key, b.key));
    yield { objects, storeTimeMs: await this.readTime() };
  }

  async head(key: ObjectKey): Promise<ObjectFacts | undefined> {
    this.count("head");
    return this.try({ do: "look", key }, async () => {
      const facts = await this.stat(key);
      return facts && { size: facts.size, etag: toEtag(facts), headers: {} };
    });
  }

  async get(key: ObjectKey): Promise<ReadObject | undefined> {
    this.count("get");
    return this.try({ do: "read", key }, async () => {
      // A pipe in the place of a file would be waited for.
      const file = await open(this.pathOf(key), READ_NOW).catch(orNothing);
      // Of the file that was opened, and not of one that has taken its place since: a condition is made of it.
      const facts = await file?.stat();
      if (!file || !facts?.isFile()) {
        await file?.close();
        return undefined;
      }
      return { size: facts.size, etag: toEtag(facts), headers: {}, body: file.createReadStream() };
    });
  }

  async put(
    key: ObjectKey,
    content: Content,
    _headers: ObjectHeaders,
    condition?: Condition,
  ): Promise<Written> {
    this.count("put");
    return this.try({ do: "write", key }, async () => {
      const path = this.pathOf(key);
      const part = await this.writePart(content, key);
      return this.place(part, path, condition);
    });
  }

  async copy(
    { key: from, etag, place }: CopySource,
    to: ObjectKey,
    _headers?: ObjectHeaders,
    condition?: Condition,
  ): Promise<Written> {
    this.count("copy");
    if (place)
      throw new StoreError("unsupported", "a folder has no other places", {
        action: { do: "copy", from, to },
      });
    return this.try({ do: "copy", from, to }, async () => {
      const before = await this.stat(from);
      if (!before) throw new StoreError("precondition", "the file is gone", { action: { do: "copy", from } });
      const isSame = (found: Stats | undefined): boolean =>
        found !== undefined && (etag === undefined || toEtag(found) === etag);
      if (!isSame(before))
        throw new StoreError("precondition", "the file changed", { action: { do: "copy", from } });
      // Without headers there is nothing in a copy onto itself.
      if (from === to) {
        if (condition && !holds(condition, before))
          throw new StoreError("precondition", "another state was expected", {
            action: { do: "copy", from },
          });
        return { etag: toEtag(before) };
      }
      const part = await this.newPart();
      await copyFile(this.pathOf(from), part);
      if (!isSame(await this.stat(from))) {
        await rm(part, { force: true });
        throw new StoreError("precondition", "the file changed", { action: { do: "copy", from } });
      }
      await flush(part);
      return this.place(part, this.pathOf(to), condition);
    });
  }

  async remove(
    keys: readonly ObjectKey[],
    expected?: ReadonlyMap<ObjectKey, string>,
  ): Promise<readonly ObjectKey[]> {
    this.count("delete");
    const left: ObjectKey[] = [];
    for (const key of keys) {
      const etag = expected?.get(key);
      const removeFile = async (): Promise<void> => {
        const path = this.pathOf(key);
        const standing = etag === undefined ? undefined : await this.stat(key);
        if (standing && toEtag(standing) !== etag) left.push(key);
        else await rm(path, { force: true });
      };
      await this.try({ do: "remove", key }, async () => {
        if (etag === undefined || !(await this.stat(key))) await removeFile();
        else {
          // Under the lock of all conditional writes: nothing can come between the look and the removal.
          await mkdir(join(this.within, UNFINISHED), { recursive: true });
          await withLock(this.lock, removeFile);
        }
        if (!left.includes(key)) await this.removeEmpty(dirname(this.pathOf(key)));
      });
    }
    return left;
  }

  abandonUploads(): Promise<number> {
    return Promise.resolve(0);
  }

  /** What a web server shows of it can be asked at its address only. */
  isPublic(): Promise<boolean> {
    return Promise.resolve(false);
  }

  readWebsite(): Promise<undefined> {
    return Promise.resolve(undefined);
  }

  writeWebsite(): Promise<void> {
    return Promise.reject(
      new StoreError("other", "a folder has no website settings", { action: { do: "write-website" } }),
    );
  }

  close(): void {
    // Nothing is kept open.
  }

  /** The path of a key; never outside the folder. */
  private pathOf(key: ObjectKey): string {
    const path = resolve(this.root, key);
    const isFile = key !== "" && !key.endsWith("/") && !/(^|\/)(\.{0,2})(\/|$)/.test(key);
    if (!isFile || key.includes("\0") || !path.startsWith(this.root + sep))
      throw new StoreError("other", "a folder can't hold this name", {
        action: { do: "use", key },
        code: "unfit name",
      });
    return path;
  }

  private async stat(key: ObjectKey): Promise<Stats | undefined> {
    const facts = await stat(this.pathOf(key)).catch(orNothing);
    return facts?.isFile() === true ? facts : undefined;
  }

  private async walk(folder: string, below: string, objects: ListedObject[]): Promise<void> {
    const isAlwaysThere = folder === "" && this.root === this.within;
    const entries = await readdir(join(this.root, folder), { withFileTypes: true }).catch(
      (error: unknown) => {
        if (isAlwaysThere || (error as NodeJS.ErrnoException).code !== "ENOENT") throw error;
        return [];
      },
    );
    for (const entry of entries) {
      const key = folder + entry.name;
      if (`${key}/` === `${UNFINISHED}/` || key === LOCK) continue;
      if (entry.isDirectory()) {
        if (`${key}/`.startsWith(below) || below.startsWith(`${key}/`))
          await this.walk(`${key}/`, below, objects);
      } else if (key.startsWith(below)) {
        const facts = await this.stat(key);
        if (facts) objects.push({ key, size: facts.size, etag: toEtag(facts), modifiedMs: facts.mtimeMs });
      }
    }
  }

  /** The time of the file system that the folder is on, which may be another machine's. */
  private async readTime(): Promise<number> {
    return this.try({ do: "read-time" }, async () => {
      const part = await this.newPart();
      await (await open(part, "w")).close();
      const { mtimeMs } = await stat(part);
      await rm(part, { force: true });
      return mtimeMs;
    });
  }

  /** One that a folder shares with those above it would make their writes wait for a run that died here. */
  private get lock(): string {
    const below = relative(this.within, this.root);
    return join(this.within, below === "" ? LOCK : `${UNFINISHED}/lock-${encodeURIComponent(below)}`);
  }

  private async newPart(): Promise<string> {
    // The folder itself must be there: a mount that is missing must not be made up for.
    await stat(this.within);
    const folder = join(this.within, UNFINISHED);
    await mkdir(folder, { recursive: true });
    return join(folder, randomUUID());
  }

  /** Writes content into a file of its own, flushed; nothing is left of one that is not what was promised. */
  private async writePart(content: Content, key: ObjectKey): Promise<string> {
    const part = await this.newPart();
    const sum = createHash("sha256");
    const watch = new Transform({
      transform: (chunk: Buffer, _encoding, done) => {
        sum.update(chunk);
        done(null, chunk);
      },
    });
    const body = content.open();
    const source = body instanceof Uint8Array ? Readable.from([Buffer.from(body)]) : body;
    try {
      await pipeline(source, watch, createWriteStream(part));
      if (sum.digest("hex") !== content.hash)
        throw new StoreError("integrity", "the bytes are others than were promised", {
          action: { do: "write", key },
        });
      await flush(part);
      return part;
    } catch (error) {
      await rm(part, { force: true });
      throw error;
    }
  }

  /** Puts a finished file in its place; with a condition, only while that holds. */
  private async place(part: string, path: string, condition?: Condition): Promise<Written> {
    const action: StoreAction = { do: "write", key: path.slice(this.root.length + 1) };
    try {
      const put = async (): Promise<Stats> => {
        const standing = await stat(path).catch(orNothing);
        if (standing?.isDirectory() === true)
          throw new StoreError("other", "a folder stands where the file should be", {
            action,
            code: "unfit name",
          });
        if (condition && !holds(condition, standing))
          throw new StoreError("precondition", "another state was expected", { action });
        await raiseTime(part, standing);
        // It is the same file under its new name, where somebody else's may stand a moment later.
        const facts = await stat(part);
        if (condition && "ifAbsent" in condition) {
          // Fails where somebody else was faster, on whatever machine.
          await into(dirname(path), () => link(part, path));
          await rm(part, { force: true });
        } else await into(dirname(path), () => rename(part, path));
        return facts;
      };
      const facts = condition ? await withLock(this.lock, put) : await put();
      await flush(dirname(path)).catch(() => undefined);
      return { etag: toEtag(facts) };
    } catch (error) {
      await rm(part, { force: true });
      if ((error as NodeJS.ErrnoException).code === "EEXIST" && condition)
        throw new StoreError("precondition", "another state was expected", { action }, error);
      throw error;
    }
  }

  private async removeEmpty(folder: string): Promise<void> {
    for (let path = folder; path.startsWith(this.within + sep); path = dirname(path)) {
      // Not empty, or gone already: that's the end of it.
      if (path === join(this.within, STATE_PREFIX.slice(0, -1)) || !(await rmdir(path).then(() => true, () => false))) return; // prettier-ignore
    }
  }

  private async try<T>(action: StoreAction, call: () => Promise<T>): Promise<T> {
    try {
      return await call();
    } catch (error) {
      throw error instanceof StoreError ? error : toFolderError(error, action);
    }
  }
}

const LOCK = ".courier/lock";

/** What changes whenever a file is replaced: its own number, its size and its time. */
const toEtag = ({ ino, size, mtimeMs }: Stats): string =>
  `${ino.toString(36)}-${size}-${Math.round(mtimeMs * 1000)}`;

const holds = (condition: Condition, standing: Stats | undefined): boolean =>
  "ifAbsent" in condition
    ? standing === undefined
    : standing !== undefined && toEtag(standing) === condition.ifEtag;

/** A file that replaces another is always later by a whole second at least, whatever the clock says. */
async function raiseTime(part: string, standing: Stats | undefined): Promise<void> {
  if (!standing) return;
  const { mtimeMs } = await stat(part);
  const least = standing.mtimeMs + TIME_STEP_MS;
  if (mtimeMs < least) await utimes(part, new Date(least), new Date(Math.ceil(least)));
}

/** Places a file in a folder, which is made where it is missing. */
async function into(folder: string, place: () => Promise<void>): Promise<void> {
  await mkdir(folder, { recursive: true });
  try {
    await place();
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== "ENOENT") throw error;
    // Whoever removed its last file has just removed the folder as well.
    await mkdir(folder, { recursive: true });
    await place();
  }
}

/** What was written is on the disk, and not only on its way there. */
async function flush(path: string): Promise<void> {
  const file = await open(path, "r");
  try {
    await file.sync();
  } finally {
    await file.close();
  }
}

function orNothing(error: unknown): undefined {
  const { code } = error as NodeJS.ErrnoException;
  if (code !== "ENOENT" && code !== "ENOTDIR") throw error;
  return undefined;
}

import { createHash, randomUUID } from "node:crypto";
import type { Stats } from "node:fs";
import { dirname, join, relative, resolve, sep } from "node:path";
import { pipeline } from "node:stream/promises";
import { Readable, Transform } from "node:stream";
import { byUtf8, isStateKey, STATE_PREFIX, type ObjectKey } from "../../../core/model/names.ts";
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
import {
  codeOf,
  discard,
  flush,
  flushFolder,
  into,
  letBeRead,
  orNothing,
  persist,
  placeNew,
  raiseTime,
  READ_NOW,
  remove,
  systemDisk,
  type Disk,
} from "./disk.ts";
import { toEtag, tryDisk, USUAL, type DiskTraits } from "./disk-traits.ts";
import { toFolderError } from "./failures.ts";
import { withLock } from "./lock.ts";

/** Half-written files live here until they are whole; on the same file system as what they become. */
const UNFINISHED = ".courier/unfinished";
const LOCK = ".courier/lock";

/**
 * A folder that a web server reads from. Files appear whole or not at all: each is written beside the others, flushed,
 * and renamed. Headers are the web server's business: none are kept.
 * @param within the folder that must be there: `folder` itself, or one above it; then `folder` comes with its first file and
 * goes with its last
 */
export function createFolderStore(
  folder: string,
  count: CountRequest,
  within = folder,
  disk = systemDisk,
): ObjectStore {
  return new FolderStore({ root: resolve(folder), within: resolve(within), disk }, count);
}

interface FolderFacts {
  readonly root: string;
  readonly within: string;
  readonly disk: Disk;
}

class FolderStore implements ObjectStore {
  readonly location;
  readonly carriesHeaders = false;
  readonly listsFromAnywhere = false;

  private readonly root: string;
  private readonly within: string;
  private readonly disk: Disk;
  private tried: Promise<DiskTraits> | undefined;

  constructor(
    { root, within, disk }: FolderFacts,
    private readonly count: CountRequest,
  ) {
    this.location = { endpoint: root, bucket: "", prefix: "", region: "" };
    [this.root, this.within, this.disk] = [root, within, disk];
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
    const storeTimeMs = await this.readTime();
    yield { objects, storeTimeMs, foldsCase: (await this.traits()).foldsCase };
  }

  async head(key: ObjectKey): Promise<ObjectFacts | undefined> {
    this.count("head");
    return this.try({ do: "look", key }, async () => {
      const facts = await this.stat(key);
      return facts && { size: facts.size, etag: await this.etagOf(key, facts), headers: {} };
    });
  }

  async get(key: ObjectKey): Promise<ReadObject | undefined> {
    this.count("get");
    return this.try({ do: "read", key }, async () => {
      // A pipe in the place of a file would be waited for.
      const file = await this.disk.open(this.pathOf(key), READ_NOW).catch(orNothing);
      // Of the file that was opened, and not of one that has taken its place since: a condition is made of it.
      const facts = await file?.stat();
      if (!file || !facts?.isFile()) {
        await file?.close();
        return undefined;
      }
      let held: Buffer | undefined;
      const read = async (): Promise<Buffer> => (held ??= await file.readFile());
      const etag = await toEtag(key, facts, { ...(await this.traits()), read });
      if (held === undefined) return { size: facts.size, etag, headers: {}, body: file.createReadStream() };
      await file.close();
      return { size: held.length, etag, headers: {}, body: Readable.from([held]) };
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
      this.pathOf(key);
      const part = await this.writePart(content, key);
      return this.place(part, key, condition);
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
      const isSame = async (found: Stats | undefined): Promise<boolean> =>
        found !== undefined && (etag === undefined || (await this.etagOf(from, found)) === etag);
      const assertSame = async (found: Stats | undefined): Promise<void> => {
        if (!(await isSame(found))) throw this.refuse("the file changed", { do: "copy", from });
      };
      await assertSame(before);
      // Without headers there is nothing in a copy onto itself.
      if (from === to) {
        const standing = await this.etagOf(from, before);
        if (condition && !holds(condition, standing))
          throw this.refuse("another state was expected", { do: "copy", from });
        return { etag: standing };
      }
      const part = await this.newPart();
      try {
        await this.disk.copyFile(this.pathOf(from), part);
        await assertSame(await this.stat(from));
        await flush(this.disk, part);
      } catch (error) {
        await discard(this.disk, part);
        throw error;
      }
      return this.place(part, to, condition);
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
        if (standing && (await this.etagOf(key, standing)) !== etag) left.push(key);
        else await remove(this.disk, path);
      };
      await this.try({ do: "remove", key }, async () => {
        if (etag === undefined || !(await this.stat(key))) await removeFile();
        else {
          // Under the lock of all conditional writes: nothing can come between the look and the removal.
          await this.disk.mkdir(join(this.within, UNFINISHED), { recursive: true });
          await withLock(this.lock, removeFile, this.disk);
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
    const facts = await this.disk.stat(this.pathOf(key)).catch(orNothing);
    return facts?.isFile() === true ? facts : undefined;
  }

  private async etagOf(key: ObjectKey, facts: Stats, path = this.pathOf(key)): Promise<string> {
    return toEtag(key, facts, { ...(await this.traits()), read: () => this.disk.readFile(path) });
  }

  /** Tried once; where nothing can be written it is taken for a usual one, and the next write says why. */
  private traits(): Promise<DiskTraits> {
    this.tried ??= this.unfinished()
      .then((folder) => tryDisk(this.disk, folder))
      .catch(() => {
        this.tried = undefined;
        return USUAL;
      });
    return this.tried;
  }

  private refuse(why: string, action: StoreAction): StoreError {
    return new StoreError("precondition", why, { action });
  }

  private async walk(folder: string, below: string, objects: ListedObject[]): Promise<void> {
    const isAlwaysThere = folder === "" && this.root === this.within;
    const entries = await this.disk
      .readdir(join(this.root, folder), { withFileTypes: true })
      .catch((error: unknown) => {
        if (isAlwaysThere || codeOf(error) !== "ENOENT") throw error;
        return [];
      });
    for (const entry of entries) {
      const key = folder + entry.name;
      if (`${key}/` === `${UNFINISHED}/` || key === LOCK) continue;
      if (entry.isDirectory()) {
        if (`${key}/`.startsWith(below) || below.startsWith(`${key}/`))
          await this.walk(`${key}/`, below, objects);
      } else if (key.startsWith(below)) {
        const facts = await this.stat(key);
        if (!facts) continue;
        const etag = await this.etagOf(key, facts);
        objects.push({ key, size: facts.size, etag, modifiedMs: facts.mtimeMs });
      }
    }
  }

  /** The time of the file system that the folder is on, which may be another machine's. */
  private async readTime(): Promise<number> {
    return this.try({ do: "read-time" }, async () => {
      const part = await this.newPart();
      await (await this.disk.open(part, "w")).close();
      const { mtimeMs } = await this.disk.stat(part);
      await remove(this.disk, part);
      return mtimeMs;
    });
  }

  /** One that a folder shares with those above it would make their writes wait for a run that died here. */
  private get lock(): string {
    const below = relative(this.within, this.root);
    return join(this.within, below === "" ? LOCK : `${UNFINISHED}/lock-${encodeURIComponent(below)}`);
  }

  private async unfinished(): Promise<string> {
    // The folder itself must be there: a mount that is missing must not be made up for.
    await this.disk.stat(this.within);
    const folder = join(this.within, UNFINISHED);
    await this.disk.mkdir(folder, { recursive: true });
    return folder;
  }

  private async newPart(): Promise<string> {
    return join(await this.unfinished(), randomUUID());
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
      await pipeline(source, watch, this.disk.createWriteStream(part));
      if (sum.digest("hex") !== content.hash)
        throw new StoreError("integrity", "the bytes are others than were promised", {
          action: { do: "write", key },
        });
      await flush(this.disk, part);
      return part;
    } catch (error) {
      await discard(this.disk, part);
      throw error;
    }
  }

  /** Puts a finished file in its place; with a condition, only while that holds. */
  private async place(part: string, key: ObjectKey, condition?: Condition): Promise<Written> {
    const { disk } = this;
    const path = this.pathOf(key);
    const action: StoreAction = { do: "write", key };
    try {
      const put = async (): Promise<string> => {
        const standing = await disk.stat(path).catch(orNothing);
        if (standing?.isDirectory() === true)
          throw new StoreError("other", "a folder stands where the file should be", {
            action,
            code: "unfit name",
          });
        if (condition && !holds(condition, standing && (await this.etagOf(key, standing))))
          throw this.refuse("another state was expected", action);
        await raiseTime(disk, part, standing);
        const isPublic = !isStateKey(key);
        if (isPublic) await letBeRead(disk, part, "file");
        // It is the same file under its new name, where somebody else's may stand a moment later.
        const etag = await this.etagOf(key, await disk.stat(part), part);
        const isNew = condition && "ifAbsent" in condition;
        await into(disk, { folder: dirname(path), isPublic }, () =>
          isNew ? placeNew(disk, part, path) : persist(disk, () => disk.rename(part, path)),
        );
        return etag;
      };
      const etag = condition ? await withLock(this.lock, put, disk) : await put();
      await flushFolder(disk, dirname(path));
      return { etag };
    } catch (error) {
      await discard(disk, part);
      if (codeOf(error) === "EEXIST" && condition)
        throw new StoreError("precondition", "another state was expected", { action }, error);
      throw error;
    }
  }

  private async removeEmpty(folder: string): Promise<void> {
    for (let path = folder; path.startsWith(this.within + sep); path = dirname(path)) {
      // Not empty, or gone already: that's the end of it.
      if (path === join(this.within, STATE_PREFIX.slice(0, -1)) || !(await this.disk.rmdir(path).then(() => true, () => false))) return; // prettier-ignore
    }
  }

  private async try<T>(action: StoreAction, call: () => Promise<T>): Promise<T> {
    try {
      return await call();
    } catch (error) {
      throw error instanceof StoreError ? error : toFolderError(error, action, this.disk.platform);
    }
  }
}

const holds = (condition: Condition, standing: string | undefined): boolean =>
  "ifAbsent" in condition ? standing === undefined : standing === condition.ifEtag;

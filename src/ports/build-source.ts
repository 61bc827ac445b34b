import type { Build } from "../core/model/build.ts";
import type { Weight } from "../core/model/weight.ts";
import type { Sha256 } from "../core/model/names.ts";
import type { Parcel } from "../core/model/parcel.ts";
import type { Content } from "./object-store.ts";

/**
 * Where a build comes from: a folder, an archive, a test's memory.
 *
 * Guaranteed: `open` hands out exactly the bytes that `read` has hashed, or fails with `build-changed`; where it hands
 * out a stream, the store checks the hash that goes along.
 */
export interface BuildSource {
  /**
   * Reads and hashes every file that is to be shipped; other work goes on in between. Throws `no-build`,
   * `link-leaves-build` before anything is read.
   */
  read(exclude: readonly string[]): Build | Promise<Build>;
  open(parcel: Parcel): Content;
  /** A part of a file as it was built, both ends included. Throws `build-changed` when the file has another size by now. */
  openPart(parcel: Parcel, start: number, end: number): NodeJS.ReadableStream;
  /**
   * What the files look like from outside, in some letters: others, once one of them was written, moved or removed. Reads
   * nothing but the folders. Throws as `read` does.
   */
  look(exclude: readonly string[]): string;
  /** A file that is no longer as it was read; undefined: all are. Looks again at each. */
  findChanged(parcels: readonly Parcel[]): string | undefined;
  /** Absent: nothing is kept for the next run. */
  readonly weights?: WeightMemory | undefined;
  /** Lets go of what was made to read it. */
  close(): void;
}

/** What contents weigh compressed, by hash: kept from run to run, since compressing costs far more than reading. */
export interface WeightMemory {
  read(): ReadonlyMap<Sha256, Weight>;
  /** Replaces everything; one that can't be written is no failure. */
  save(weights: ReadonlyMap<Sha256, Weight>): void;
}

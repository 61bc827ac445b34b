import { existsSync } from "node:fs";
import { availableParallelism } from "node:os";
import { fileURLToPath } from "node:url";
import { Worker } from "node:worker_threads";
import type { WordShapes } from "../core/build/fingerprints/mentions.ts";
import type { FileToRead, ReadFile } from "./read-file.ts";

/** A thread that reads files. It may end at any time, and gives up what it had then. */
export interface ReadingHelper {
  /** @returns what each of the files told; undefined where that failed */
  read(files: readonly FileToRead[]): Promise<readonly (ReadFile | undefined)[]>;
  end(): void;
}

/** What helpers are to do. */
export interface HelperTask {
  /** Which words are read of texts. */
  readonly shapes: WordShapes;
  /** Whether they also say what contents say; else they only hash. */
  readonly readsContents: boolean;
}

/** Helpers for so many bytes; none where they would not pay. */
export type StartHelpers = (task: HelperTask, bytes: number) => readonly ReadingHelper[];

/** Below this a thread takes longer to start than it saves. */
const WORTH_BYTES = 32_000_000;
const MOST_HELPERS = 3;
/** Made beside the program by its bundler; sources that run by themselves have none. */
const THREAD = fileURLToPath(new URL("./reading-thread.js", import.meta.url));

/** One thread for each core that is free. */
export const startHelpers: StartHelpers = (task, bytes) => {
  if (bytes < WORTH_BYTES || !existsSync(THREAD)) return [];
  const count = Math.min(MOST_HELPERS, availableParallelism() - 1);
  return Array.from({ length: count }, () => startHelper(task, THREAD));
};

/** @param thread the file of its program */
export function startHelper(task: HelperTask, thread: string): ReadingHelper {
  const worker = new Worker(thread, { workerData: task });
  /** By the place of the answer: they come in the order of the questions. */
  const waiting: ((read: readonly (ReadFile | undefined)[]) => void)[] = [];
  let hasEnded = false as boolean;
  const giveUp = (): void => {
    hasEnded = true;
    for (const answer of waiting.splice(0)) answer([]);
  };
  worker.on("message", (read: readonly (ReadFile | undefined)[]) => waiting.shift()?.(read));
  worker.once("error", giveUp);
  worker.once("exit", giveUp);
  return {
    read: (files) =>
      hasEnded
        ? Promise.resolve([])
        : new Promise((answer) => {
            waiting.push(answer);
            worker.postMessage(files);
          }),
    end: () => {
      void worker.terminate();
    },
  };
}

/** Files of one question: enough that the way there and back counts for little. */
const BATCH_BYTES = 1_000_000;
const BATCH_FILES = 64;
/** Questions that wait at a helper, so that it never waits for us. */
const AHEAD = 2;

/** Files that are taken from both ends: we read from the front, helpers from the back. */
export class SharedFiles {
  private front = 0;
  private back: number;
  private readonly answers: (ReadFile | undefined)[] = [];

  constructor(private readonly files: readonly FileToRead[]) {
    this.back = files.length;
  }

  /** The place of the next one from the front; undefined: all are taken. */
  takeFirst(): number | undefined {
    return this.front < this.back ? this.front++ : undefined;
  }

  /** Lets a helper read until all are taken. */
  async share(helper: ReadingHelper): Promise<void> {
    const work = async (): Promise<void> => {
      for (let batch = this.takeLast(); batch; batch = this.takeLast()) {
        const { from, files } = batch;
        const read = await helper.read(files);
        files.forEach((_, place) => (this.answers[from + place] = read[place]));
      }
    };
    await Promise.all(Array.from({ length: AHEAD }, work));
  }

  /** What a helper has told of the file at this place. */
  answerAt(place: number): ReadFile | undefined {
    return this.answers[place];
  }

  private takeLast(): { readonly from: number; readonly files: readonly FileToRead[] } | undefined {
    const to = this.back;
    let bytes = 0;
    while (this.back > this.front && bytes < BATCH_BYTES && to - this.back < BATCH_FILES)
      bytes += (this.files[--this.back] as FileToRead).size;
    return this.back === to ? undefined : { from: this.back, files: this.files.slice(this.back, to) };
  }
}

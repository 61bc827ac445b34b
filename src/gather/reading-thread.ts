// A thread that reads files for another one (reading-helpers.ts); bundled as a program of its own.
import { parentPort, workerData } from "node:worker_threads";
import { createWordReader } from "../core/build/fingerprints/mentions.ts";
import { readFile, type FileToRead, type ReadFile } from "./read-file.ts";
import type { HelperTask } from "./reading-helpers.ts";

const { shapes, readsContents } = workerData as HelperTask;
const readWords = createWordReader(shapes);

/** Who asked reads what failed once more, and says why it does. */
function tryRead(file: FileToRead): ReadFile | undefined {
  try {
    return readFile(file, readWords, (_, read) => (readsContents ? read() : undefined));
  } catch {
    return undefined;
  }
}

parentPort?.on("message", (files: readonly FileToRead[]) => {
  parentPort?.postMessage(files.map(tryRead));
});

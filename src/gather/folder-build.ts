import { hash } from "node:crypto";
import { createReadStream } from "node:fs";
import { join } from "node:path";
import { OperatorError } from "../core/failures.ts";
import type { BuildSource } from "../ports/build-source.ts";
import { hashBuild, readBuildFile, WHOLE_BYTES } from "./hash-files.ts";
import { scanBuild } from "./scan-build.ts";

const READ_BYTES = 1024 * 1024;

/** A build in a folder. */
export const createFolderBuild = (folder: string): BuildSource => ({
  read: (exclude) => hashBuild(folder, scanBuild(folder, exclude)),
  open: ({ key, aliasOf, size, storedHash }) => {
    const path = aliasOf ?? key;
    if (size > WHOLE_BYTES) {
      const options = { highWaterMark: READ_BYTES, end: size - 1 };
      return { size, hash: storedHash, open: () => createReadStream(join(folder, path), options) };
    }
    const bytes = readBuildFile(folder, path);
    if (hash("sha256", bytes) !== storedHash) throw new OperatorError("build-changed", { path });
    return { size, hash: storedHash, open: () => bytes };
  },
});

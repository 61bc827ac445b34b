import type { StoreAction } from "../../../core/model/store-action.ts";
import { StoreError, type StoreErrorKind } from "../../../ports/object-store.ts";

const KINDS: Readonly<Record<string, StoreErrorKind>> = {
  ENOENT: "no-such-bucket",
  EACCES: "denied",
  EPERM: "denied",
  EROFS: "denied",
  EBUSY: "server",
  EAGAIN: "server",
  EMFILE: "throttled",
  ENFILE: "throttled",
  ESTALE: "server",
};

/** Any failure of the file system, as the port names it. */
export function toFolderError(
  error: unknown,
  action: StoreAction,
  platform: NodeJS.Platform = process.platform,
): StoreError {
  const { code = "", message } = error as NodeJS.ErrnoException;
  // There it is the answer of a file that somebody has open, too.
  const kind = platform === "win32" && code === "EPERM" ? "server" : KINDS[code];
  return new StoreError(kind ?? "other", message, { action, code }, error);
}

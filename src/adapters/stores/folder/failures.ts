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
export function toFolderError(error: unknown, action: StoreAction): StoreError {
  const { code = "", message } = error as NodeJS.ErrnoException;
  return new StoreError(KINDS[code] ?? "other", message, { action, code }, error);
}

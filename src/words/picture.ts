import type { Fate, VisitLoad } from "../core/picture/picture.ts";
import type { Role } from "../core/model/role.ts";

/** What becomes of a file, in a word or two. */
export const FATE_NAMES: Readonly<Record<Fate, string>> = {
  new: "new",
  moved: "moved",
  missing: "missing",
  drifted: "changed by others",
  replaced: "replaced",
  relabelled: "new headers",
  unchanged: "unchanged",
  removed: "removed",
  kept: "kept for open tabs",
};

/** The same in a sentence. */
export const FATE_MEANINGS: Readonly<Record<Fate, string>> = {
  new: "it was not there before",
  moved: "the same bytes stood under another name",
  missing: "it was removed by other means, and comes back",
  drifted: "it was changed by other means, and is set right",
  replaced: "its bytes are others",
  relabelled: "its bytes stay, its headers change",
  unchanged: "it stays as it is",
  removed: "it is not in the build any more, and goes",
  kept: "it is not in the build any more, and stays until open tabs need it no more",
};

/** Roles as a heading says them, for several files. */
export const ROLE_NAMES: Readonly<Record<Role, string>> = {
  fingerprinted: "fingerprinted files",
  asset: "assets",
  page: "pages",
  entry: "entry page",
  notFound: "not-found page",
  worker: "workers, polled files",
  document: "documents",
};

/** What a first visit loads, against the visit before. */
export const LOAD_NAMES: Readonly<Record<VisitLoad["is"], string>> = {
  new: "new",
  changed: "changed",
  same: "as before",
  gone: "no more",
  unknown: "",
};

import type { ObjectKey } from "./names.ts";

const WORKER =
  /(^|[-_.])(sw([-_.]?v?\d{1,4})?|(service|push|offline|safety)[-_]?worker|worker-basic(\.min)?)\.m?js$/;

/** Service workers, manifests and version files that clients poll under a fixed name. */
export function isPolled(key: ObjectKey): boolean {
  const name = key.slice(key.lastIndexOf("/") + 1).toLowerCase();
  if (WORKER.test(name)) return true;
  if (/\.webmanifest$/.test(name) || /^(asset-|build-|site-|app-)?manifest\.json$/.test(name)) return true;
  return /^ngsw.*\.(js|json)$/.test(name) || /^(version|latest|build-info)\.json$/.test(name);
}

/** Scripts that run as service workers, by the names that they must keep. */
export const isWorkerScript = (key: ObjectKey): boolean => isPolled(key) && /\.m?js$/i.test(key);

/**
 * Whether a worker is a manifest by its name: new pages name it, and one that no visitor has sends nobody to an old page. For
 * records of before 0.2, which don't tell what pages load.
 */
export const isManifest = (key: ObjectKey): boolean => /manifest/i.test(key);

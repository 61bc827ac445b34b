import { isAbsolute, join } from "node:path";

/**
 * Where a user keeps what only saves time: the system's own folder for that on macOS and Windows, else that of the XDG Base
 * Directory Specification (§3, where a relative path counts as none). Undefined: there is no place, as without a home.
 */
export function findCacheFolder(
  environment: NodeJS.ProcessEnv,
  platform: NodeJS.Platform = process.platform,
): string | undefined {
  const { XDG_CACHE_HOME: caches, HOME: home, LOCALAPPDATA: local } = environment;
  const base = [
    caches,
    platform === "win32" ? local : undefined,
    home && join(home, platform === "darwin" ? "Library/Caches" : ".cache"),
  ].find((folder) => folder !== undefined && isAbsolute(folder));
  return base === undefined ? undefined : join(base, "restless-courier");
}

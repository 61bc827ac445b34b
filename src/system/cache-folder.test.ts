import { findCacheFolder } from "./cache-folder.ts";

test.each([
  ["linux", { HOME: "/home/pilot" }, "/home/pilot/.cache/restless-courier"],
  ["linux", { HOME: "/home/pilot", XDG_CACHE_HOME: "/fast" }, "/fast/restless-courier"],
  ["linux", { HOME: "/home/pilot", XDG_CACHE_HOME: "fast" }, "/home/pilot/.cache/restless-courier"],
  ["linux", { HOME: "", XDG_CACHE_HOME: "" }, undefined],
  ["linux", {}, undefined],
  ["darwin", { HOME: "/Users/pilot" }, "/Users/pilot/Library/Caches/restless-courier"],
  ["darwin", { HOME: "/Users/pilot", XDG_CACHE_HOME: "/fast" }, "/fast/restless-courier"],
  // Its paths are told by their form here as they are there.
  ["win32", { LOCALAPPDATA: "/c/pilot/AppData/Local", HOME: "/c/pilot" }, "/c/pilot/AppData/Local/restless-courier"],
  ["win32", { HOME: "/c/pilot" }, "/c/pilot/.cache/restless-courier"],
] as const)("on %s, with %j, the cache is at %s", (platform, environment, folder) => {
  expect(findCacheFolder(environment, platform)).toBe(folder);
}); // prettier-ignore

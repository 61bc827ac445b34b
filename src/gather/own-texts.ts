import { KEEP_OUT } from "../core/build/keep-out.ts";
import { RETIRED_WORKER } from "../core/build/retired-worker.ts";
import type { Sha256 } from "../core/model/names.ts";

/**
 * What takes the place of a service worker that a site no longer has: browsers take it for an update of the old one, and it
 * takes away the caches and the registration, and leaves the pages that are open alone (W3C Service Workers, "Activate").
 * The caches of an origin are shared: below a path of its own a worker's are those that name its scope.
 */
const RETIRED_WORKER_TEXT = `// Stands in place of a service worker that this site no longer has, and takes it away.
self.addEventListener("install", () => self.skipWaiting());
self.addEventListener("activate", (event) => {
  event.waitUntil(
    (async () => {
      const { scope } = self.registration;
      const isWhole = new URL(scope).pathname === "/";
      for (const name of await caches.keys()) if (isWhole || name.includes(scope)) await caches.delete(name);
      await self.registration.unregister();
    })(),
  );
});
`;

/** Files that are delivered without standing in any build, by the hash of their bytes. */
export const OWN_TEXTS: ReadonlyMap<Sha256, string> = new Map([
  [RETIRED_WORKER.hash, RETIRED_WORKER_TEXT],
  [KEEP_OUT.hash, "User-agent: *\nDisallow: /\n"],
]);

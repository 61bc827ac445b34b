import { CACHE_KINDS, type CacheKind, type CacheSetup } from "../../core/cache-setup/cache-setup.ts";
import { toNginx } from "./nginx.ts";
import type { LeftToOthers, PrintedSetup } from "./set-up.ts";
import { toSquid } from "./squid.ts";
import { toTrafficServer } from "./traffic-server.ts";
import { toVarnish } from "./varnish.ts";

/** Whether it is the name of a cache whose set-up can be printed. */
export const isCacheKind = (kind: string): kind is CacheKind =>
  (CACHE_KINDS as readonly string[]).includes(kind);

/** The files that set a cache up. @param hostName the public name of the site */
export function toCacheFiles(kind: CacheKind, setup: CacheSetup, hostName: string | undefined): PrintedSetup {
  switch (kind) {
    case "varnish":
      return toVarnish(setup);
    case "nginx":
      return toNginx(setup, hostName);
    case "squid":
      return toSquid(setup);
    case "trafficserver":
      return toTrafficServer(setup);
  }
}

/** What a cache can't do, and who can. */
export const LEFT: Readonly<Record<LeftToOthers, string>> = {
  "missing-pages":
    "pages for what is missing: this cache can't put a page in the place of an error. Let the origin do so (store.serves: website), or take Varnish or nginx",
  compression:
    "compression: Squid passes on what it gets. Say compression: gzip, so that files are stored compressed, or put something before it that compresses",
};

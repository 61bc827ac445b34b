import type { AddressRules } from "../addresses/addresses.ts";
import type { EndpointRules } from "../model/endpoint.ts";
import type { RedirectRule } from "../addresses/redirects.ts";
import type { HeaderRules } from "./headers.ts";

/** What a site is at a destination, whatever build it gets: out of settings, options and defaults. */
export interface SiteRules {
  /** The path of the first page. */
  readonly entry: string;
  /** Absent: `404.html` if the build has it. */
  readonly notFound?: string | undefined;
  /** Whether an unknown address is answered with the entry page. */
  readonly clientRoutes: boolean;
  /** Whether a service worker that the build no longer has is taken away from browsers. */
  readonly retireWorkers: boolean;
  /** Globs of files that stay behind. */
  readonly exclude: readonly string[];
  /** Where visitors reach it, if that is known. */
  readonly url?: string | undefined;
  readonly headers: HeaderRules;
  readonly addressRules: AddressRules;
  readonly redirects: readonly RedirectRule[];
  /** Whether search engines are kept out: by a `robots.txt` of ours, where the site begins at the root of its host. */
  readonly noIndex: boolean;
  readonly compression: "off" | "gzip";
  /** Whether a policy of what pages load is worked out from them. */
  readonly needsPages: boolean;
  readonly endpoint: EndpointRules;
}

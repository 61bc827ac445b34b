import type { Difference } from "../core/answers/differences.ts";
import { counted, listed } from "./text.ts";

type Of<Code> = Difference & { readonly code: Code };

const DIFFERENCES: { readonly [Code in Difference["code"]]: (of: Of<Code>) => string } = {
  "no-cache": () => "no edge is in front of it: every answer is fresh",
  "plain-http": ({ isNear }) =>
    isNear
      ? "it speaks http, which browsers trust on this machine only"
      : "it speaks http: on other machines there are no service workers and no secure cookies (--https)",
  "unknown-headers": ({ names }) =>
    `these headers of the edge are missing, because any value will do: ${listed(names)}`,
  "built-headers": ({ names }) =>
    `these headers are missing, because a delivery works them out from the build: ${listed(names)}`,
  "no-transport-security": () =>
    "Strict-Transport-Security is left out: it would bind everything that runs on this machine",
  "edge-redirects": ({ count }) =>
    `${counted(count, "redirect")} ${count === 1 ? "is" : "are"} answered here; at the destination, the edge must do it`,
  "full-addresses": ({ origin, count, from }) =>
    `${counted(count, "reference")} to ${origin} ${count === 1 ? "leads" : "lead"} to the destination, not here (the first in ${from})`,
  "reload-script": () =>
    "for --reload each page loads one more script, and browsers ask for everything again",
};

/** In what a site that is served here is another than at its destination. */
export const showDifference = (difference: Difference): string =>
  (DIFFERENCES[difference.code] as (of: Difference) => string)(difference);

import type { Difference } from "../core/answers/differences.ts";
import { counted, listed } from "./text.ts";

type Of<Code> = Difference & { readonly code: Code };

const DIFFERENCES: { readonly [Code in Difference["code"]]: (of: Of<Code>) => string } = {
  "no-cache": () => "no edge stands before it: every answer is fresh",
  "plain-http": ({ isNear }) =>
    isNear
      ? "it speaks http, which browsers trust on this machine only"
      : "it speaks http: on other machines there are no service workers and no secure cookies (--https)",
  "unknown-headers": ({ names }) =>
    `headers of the edge are not there, since any value will do: ${listed(names)}`,
  "built-headers": ({ names }) =>
    `what is worked out from the build when it is delivered is not sent here: ${listed(names)}`,
  "no-transport-security": () =>
    "Strict-Transport-Security is left out: it would bind all that runs on this machine",
  "edge-redirects": ({ count }) =>
    `${counted(count, "redirect")} ${count === 1 ? "is" : "are"} answered here; there the edge must be set up to do it`,
  "full-addresses": ({ origin, count, from }) =>
    `${counted(count, "reference")} to ${origin} ${count === 1 ? "leads" : "lead"} there, and not here (the first in ${from})`,
  "reload-script": () => "for --reload each page loads one script more, and browsers ask for everything anew",
};

/** In what a site that is served here is another than at its destination. */
export const showDifference = (difference: Difference): string =>
  (DIFFERENCES[difference.code] as (of: Difference) => string)(difference);

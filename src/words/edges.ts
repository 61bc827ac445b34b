import type { EdgeFailure, EdgeWait } from "../core/model/edge.ts";

type Of<Kind extends EdgeFailure["kind"]> = EdgeFailure & { readonly kind: Kind };

const FAILURES: { readonly [Kind in EdgeFailure["kind"]]: (of: never) => string } = {
  "no-credentials": () => "no credentials for it were found",
  "credentials-refused": ({ code = "" }: Of<"credentials-refused">) =>
    `it does not accept the credentials (${code})`,
  denied: ({ node }: Of<"denied">) =>
    node === undefined
      ? "this identity may not invalidate there (the rights to create and to read invalidations)"
      : `it refused the purge: check token and header (${node})`,
  "not-found": ({ id, answer = "", code = "" }: Of<"not-found">) =>
    id === undefined ? answer || code : `it knows no distribution ${id}`,
  busy: ({ answer = "", code = "" }: Of<"busy">) => answer || code,
  other: ({ answer = "", code = "" }: Of<"other">) => answer || code,
  unconfirmed: ({ seconds, wait }: Of<"unconfirmed">) =>
    `not confirmed within ${seconds} s (${showEdgeWait(wait)})`,
  unreachable: ({ node, code = "", answer = "" }: Of<"unreachable">) =>
    `${node} could not be asked: ${code || answer}`,
  "refused-purge": ({ node, status }: Of<"refused-purge">) =>
    `it answered ${status ?? ""} to a purge (${node})`,
  "no-purges": ({ node }: Of<"no-purges">) => `it does not take purges (405) (${node})`,
  "still-old": ({ held }: Of<"still-old">) => `it still holds the old ${held}`,
  "wildcards-ignored": ({ status, pattern, address }: Of<"wildcards-ignored">) =>
    `it answered ${status ?? ""} to the wildcard ${pattern} and still holds ${address}: it seems not to take wildcards (edge.patterns)`,
};

/** What an edge answered when it did not do what it was asked for. */
export const showEdgeFailure = (failure: EdgeFailure): string =>
  (FAILURES[failure.kind] as (of: EdgeFailure) => string)(failure);

/** What an edge is waited for. */
export function showEdgeWait(wait: EdgeWait): string {
  switch (wait.code) {
    case "settling":
      return "letting what is under way arrive, before purging again";
    case "confirmation":
      return "waiting for confirmation";
    case "others":
      return "waiting for other invalidations to end";
    case "retry":
      return `trying again: ${showEdgeFailure(wait.failure)}`;
  }
}

import { showUnsafe } from "./tls.ts";
import type { EdgeFailure, EdgeWait } from "../core/model/edge.ts";
import { counted } from "./text.ts";

type Of<Kind extends EdgeFailure["kind"]> = EdgeFailure & { readonly kind: Kind };

const FAILURES: { readonly [Kind in EdgeFailure["kind"]]: (of: never) => string } = {
  "no-credentials": ({ answer = "" }: Of<"no-credentials">) => `no credentials for it were found (${answer})`,
  "credentials-refused": ({ code = "" }: Of<"credentials-refused">) =>
    `it does not accept the credentials (${code})`,
  denied: ({ node }: Of<"denied">) =>
    node === undefined
      ? "these credentials may not invalidate there (they need the rights to create and to read invalidations)"
      : `it refused the purge: correct the token or its header (${node})`,
  "not-found": ({ id, answer = "", code = "" }: Of<"not-found">) =>
    id === undefined ? answer || code : `it knows no distribution ${id}`,
  busy: ({ answer = "", code = "" }: Of<"busy">) => answer || code,
  other: ({ answer = "", code = "" }: Of<"other">) => answer || code,
  unconfirmed: ({ seconds, wait }: Of<"unconfirmed">) =>
    `not confirmed within ${seconds} s (${showEdgeWait(wait)})`,
  tls: ({ tls, node }: Of<"tls">) => `${node === undefined ? "" : `${node}: `}${showUnsafe(tls)}`,
  unreachable: ({ node, code = "", answer = "" }: Of<"unreachable">) =>
    `${node} could not be asked: ${code || answer}`,
  "refused-purge": ({ node, status }: Of<"refused-purge">) =>
    `it answered ${status ?? ""} to a purge (${node})`,
  "no-purges": ({ node }: Of<"no-purges">) => `it does not take purges (405) (${node})`,
  "still-old": ({ held, count }: Of<"still-old">) => `it still has the old copy of ${held}${andMore(count)}`,
  foreign: ({ held, count }: Of<"foreign">) =>
    `it answers with something that was never delivered there: ${held}${andMore(count)}; if this edge rewrites pages, set rewrites: true`,
  unreadable: ({ held, count }: Of<"unreadable">) =>
    `its answer can't be decoded here: ${held}${andMore(count)}`,
  "no-answer": ({ held, count }: Of<"no-answer">) => `it can't be read back: ${held}${andMore(count)}`,
  unread: ({ count }: Of<"unread">) =>
    `there was no time to read back ${counted(count, "address", "addresses")}; rcourier invalidate --owed continues`,
  unseen: () =>
    "its address is not known, so nothing can be read back: set url, or confirm: off to take its word",
  "unlisted-forms": ({ node }: Of<"unlisted-forms">) =>
    `it keeps a copy for each Accept-Encoding that anybody sends, and nobody can list those (${node}): let it keep one form, or list them all with encodings (docs/caches.md)`,
  "clears-nothing": ({ node }: Of<"clears-nothing">) =>
    `it accepts purges but forgets nothing (${node}): the old content of a test object stayed`,
  "wildcards-ignored": ({ pattern, address }: Of<"wildcards-ignored">) =>
    `it was asked to forget ${pattern} and still had ${address}: it seems not to take wildcards (edge.patterns)`,
};

const andMore = (count: number): string => (count > 1 ? ` and ${count - 1} more` : "");

/** What an edge answered when it did not do what it was asked for. */
export const showEdgeFailure = (failure: EdgeFailure): string =>
  (FAILURES[failure.kind] as (of: EdgeFailure) => string)(failure);

/** What an edge is waited for. */
export function showEdgeWait(wait: EdgeWait): string {
  switch (wait.code) {
    case "settling":
      return "waiting for requests under way to end, then it is asked again";
    case "fetches":
      return "waiting for fetches to end that began before the last write";
    case "reading":
      return `reading back ${wait.read} of ${counted(wait.of, "address", "addresses")}`;
    case "confirmation":
      return "waiting for it to confirm";
    case "others":
      return "waiting for other invalidations to end";
    case "retry":
      return `trying again: ${showEdgeFailure(wait.failure)}`;
  }
}

import type { RuleMeans } from "../../model/edge-rules.ts";
import type { EdgeFailure } from "../../model/edge.ts";
import type { StoreAction } from "../../model/store-action.ts";

/** The links of the chain from the settings to a visitor, in the order in which they are tried. */
export const LINKS = [
  "build",
  "proxy",
  "credentials",
  "store",
  "clock",
  "bucket",
  "rights",
  "conditions",
  "records",
  "website",
  "distribution",
  "name",
  "certificate",
  "edge",
  "reading",
  "folders",
  "missing pages",
  "root document",
  "forgetting",
  "habits",
] as const;
export type LinkName = (typeof LINKS)[number];

/** `note`: it works, and something about it is worth knowing. */
export const LINK_STATES = ["good", "note", "broken", "not-tried"] as const;
type LinkState = (typeof LINK_STATES)[number];

/** Every cause that `checkup` can name. */
export const LINK_CAUSES = [
  "no-build",
  "no-credentials",
  "no-region",
  "store-tls",
  "proxy-fails",
  "credentials-refused",
  "nobody-listens",
  "no-such-host",
  "not-a-store",
  "store-fails",
  "clock-off",
  "clock-drifts",
  "no-bucket",
  "no-folder",
  "folder-denied",
  "wrong-region",
  "right-missing",
  "no-conditions",
  "records-served",
  "records-open",
  "no-website",
  "website-unknown",
  "website-otherwise",
  "distribution-otherwise",
  "being-deployed",
  "rules-otherwise",
  "no-url",
  "name-unknown",
  "certificate-expired",
  "certificate-other-name",
  "certificate-untrusted",
  "certificate-ends",
  "tls-too-old",
  "no-tls",
  "nobody-answers",
  "store-denies",
  "edge-unsigned",
  "other-bucket",
  "other-path",
  "not-found-there",
  "endpoint-without-website",
  "origin-unreachable",
  "answers-otherwise",
  "leads-elsewhere",
  "no-index-documents",
  "resolves-index-documents",
  "no-root-document",
  "root-lists",
  "missing-is-403",
  "missing-is-answered",
  "routes-not-answered",
  "may-not-invalidate",
  "edge-unknown",
  "edge-fails",
  "still-old",
  "patterns-unknown",
  "habits-unsaid",
  "habits-otherwise",
] as const;
export type LinkCause = (typeof LINK_CAUSES)[number];

/** What was asked for. */
export type Asked =
  | {
      readonly code:
        | "nothing"
        | "credentials"
        /** By which ways addresses are reached. */
        | "ways"
        /** All that a delivery does with an object. */
        | "work"
        /** A write on a condition that can't hold. */
        | "condition"
        | "website"
        /** How the distribution before the store is set up. */
        | "distribution"
        /** The destination's `url`. */
        | "url"
        /** What is held, for how long, and under which names. */
        | "habits";
    }
  | { readonly code: "folder"; readonly folder: string }
  /** `bucket`: empty for a folder. */
  | { readonly code: "list"; readonly endpoint: string; readonly bucket: string }
  | { readonly code: "action"; readonly action: StoreAction }
  /** The tool's own part, unsigned or at the site's address. */
  | { readonly code: "records"; readonly unsigned: boolean; readonly url?: string }
  /** What a release has the edge do by itself. */
  | { readonly code: "rules"; readonly release: number }
  | { readonly code: "host" | "name" | "tls"; readonly host: string }
  /** `fresh`: just written; `missing`: nothing is there. */
  | { readonly code: "address" | "fresh" | "missing"; readonly address: string }
  | { readonly code: "forget"; readonly edge: string; readonly byPattern?: true };

/** How an address is reached. */
export interface Way {
  /** `store`, `visitors`, or the name of an edge. */
  readonly to: string;
  /** The proxy that leads there; absent: none. */
  readonly proxy?: string | undefined;
}

/** What came back. */
export type Found =
  | {
      readonly code:
        | "nothing"
        | "none"
        | "there"
        | "answers"
        | "in-time"
        | "no-answer"
        | "all-rights"
        | "refused-as-must"
        | "ignored"
        | "unsupported"
        | "refused"
        | "no-name-needed"
        | "as-written"
        | "as-delivered"
        | "as-wished"
        | "being-deployed"
        | "index-page"
        | "client-routes"
        | "list-of-bucket"
        /** Confirmed, and the old content answers. */
        | "still-old"
        /** Taken, and the old content answers. */
        | "pattern-old"
        | "not-held";
    }
  /** Why a link was not tried. */
  | {
      readonly code:
        | "store-silent"
        | "store-timeless"
        | "exact-keys"
        | "may-not-look"
        | "may-not-look-there"
        | "web-server"
        | "no-probe"
        | "dry-run"
        | "no-edge"
        | "told-above"
        | "plain-http"
        | "proxy-looks-up"
        | "not-delivered"
        | "nothing-telling";
    }
  | { readonly code: "said"; readonly said: string }
  | { readonly code: "ways"; readonly ways: readonly Way[] }
  | { readonly code: "status"; readonly status?: number | undefined; readonly said?: string | undefined }
  /** Milliseconds that this machine is ahead of the store. */
  | { readonly code: "skew"; readonly skewMs: number }
  | { readonly code: "documents"; readonly index: string; readonly error?: string | undefined }
  | { readonly code: "addresses"; readonly addresses: readonly string[] }
  | { readonly code: "certificate"; readonly names: readonly string[]; readonly untilMs: number }
  /** A folder that does not answer, as it should be. */
  | { readonly code: "exact-only"; readonly status: number | undefined }
  | { readonly code: "edge-failure"; readonly failure: EdgeFailure }
  | { readonly code: "pattern-failure"; readonly failure: EdgeFailure }
  | { readonly code: "forgotten"; readonly byPattern: boolean }
  | { readonly code: "habits"; readonly habits: readonly SeenHabit[] }
  | { readonly code: "differs"; readonly count: number }
  | { readonly code: "other-means"; readonly means: readonly RuleMeans[] };

/** One thing that an edge was seen to do, or not to. */
export interface SeenHabit {
  readonly habit: "minimumFreshness" | "query" | "negative";
  readonly isSeen: boolean;
}

/** One link: what was asked, what came back, and where that is not as it should be, why. */
export interface Link {
  readonly link: LinkName;
  readonly state: LinkState;
  readonly asked: Asked;
  readonly found: Found;
  readonly cause?: LinkCause;
  /** What the words of the cause are filled in with. */
  readonly names?: CauseNames;
}

export type CauseNames = Readonly<Record<string, unknown>>;

/** A link that holds. */
export const good = (link: LinkName, asked: Asked, found: Found): Link => ({
  ...{ link, asked, found },
  state: "good",
});

/** A link that could not be tried, or did not have to be; `found` says why. */
export const notTried = (link: LinkName, found: Found): Link => ({
  ...{ link, found },
  asked: { code: "nothing" },
  state: "not-tried",
});

export interface Fault {
  readonly asked: Asked;
  readonly found: Found;
  readonly cause: LinkCause;
  readonly names?: CauseNames;
}

/** A link that does not hold, with its cause. */
export const broken = (link: LinkName, fault: Fault): Link => ({ link, state: "broken", ...fault });
/** A link that holds, with something worth knowing. */
export const note = (link: LinkName, fault: Fault): Link => ({ link, state: "note", ...fault });

/** In the order of the chain; a link that several found something about keeps each. */
export const inOrder = (links: readonly Link[]): Link[] =>
  [...links].sort((a, b) => LINKS.indexOf(a.link) - LINKS.indexOf(b.link));

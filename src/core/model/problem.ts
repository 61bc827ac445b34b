import type { ObjectKey, UrlPath } from "./names.ts";

/** A credential that a text holds. */
export type Secret = "private-key" | "access-key" | "secret-access-key";

/** A text that is too large to be read for what it names, or a page whose elements are too deep within one another. */
export type UnreadText = "large" | "deep";

/** Why a name can't be delivered. */
export type UnfitName =
  | "control-character"
  | "backslash"
  | "star"
  | "not-unicode"
  | "long-key"
  | "file-and-folder"
  | "long-part"
  | "windows-name";

/** What is known of each kind of problem, by its code; for a guard it is the code that --allow takes. */
export interface ProblemFacts {
  readonly "empty-build": { readonly folder: string };
  readonly "wrong-folder":
    | { readonly looks: "sources"; readonly folder: string; readonly built: string | undefined }
    | { readonly looks: "one-down"; readonly folder: string; readonly inner: string };
  readonly "no-entry": { readonly entry: string };
  readonly "bare-link": { readonly addresses: readonly UrlPath[] };
  /** `asForm`: a file of that name in another Unicode normal form (UAX #15), which is another address. */
  readonly "dead-link": { readonly address: UrlPath; readonly asForm?: ObjectKey | undefined };
  /** `isKnown`: the release that is live lacks it as well. `asForm`: as in `dead-link`. */
  readonly "missing-asset": {
    readonly address: UrlPath;
    readonly isKnown?: true;
    readonly asForm?: ObjectKey | undefined;
  };
  /** Base paths: what pages and styles name begins with the one, and the destination's addresses with the other. */
  readonly "wrong-base": {
    readonly builtFor: UrlPath;
    readonly deliveredAt: UrlPath;
    readonly example: UrlPath;
    /** The destination is a preview, which may have a host name of its own instead. */
    readonly isPreview?: boolean;
  };
  readonly "robots-out-of-reach": { readonly basePath: UrlPath };
  readonly "case-clash": { readonly other: string };
  /** `most`: bytes, where a length is the reason. */
  readonly "unfit-name": { readonly why: UnfitName; readonly most?: number };
  /** `by`: the page that answers there; absent: a file of just that name. */
  readonly "alias-clash": { readonly key: ObjectKey; readonly by?: ObjectKey };
  readonly "bare-breaks-references": { readonly key: ObjectKey };
  readonly "redirect-hidden": { readonly rule: UrlPath } | { readonly file: ObjectKey };
  /** `end`: it comes back to itself, or goes on for longer than browsers follow. */
  readonly "redirect-loop": { readonly trail: readonly string[]; readonly end: "closes" | "too-long" };
  readonly "redirect-chain": { readonly trail: readonly string[] };
  readonly "redirect-target": { readonly leadsTo: string };
  readonly "redirect-unplaced":
    | { readonly why: "not-owned"; readonly isPattern: boolean; readonly status: number }
    | { readonly why: "too-many"; readonly most: number }
    | {
        readonly why: "reaches";
        readonly isPattern: boolean;
        readonly status: number;
        readonly other: string;
      };
  readonly "redirect-covers": { readonly keys: readonly ObjectKey[] };
  readonly "redirect-elsewhere": {
    readonly rules: readonly { readonly address: UrlPath; readonly leadsTo: string }[];
    /** The edge could carry them, and has not been set up for that. */
    readonly isEdgeAble: boolean;
  };
  /** Bytes of the function that the edge would need. */
  readonly "edge-rules-large": {
    readonly bytes: number;
    readonly most: number;
    readonly redirects: number;
    /** Addresses of pages that no rule tells. */
    readonly untold: number;
  };
  readonly "edge-header-long": { readonly name: string; readonly letters: number; readonly most: number };
  readonly "edge-headers-many": { readonly headers: number; readonly most: number };
  /** The policy is to be worked out from pages that nobody has looked at. */
  readonly "policy-unknown": Nothing;
  /** Headers of the settings for which the edge has no place yet. */
  readonly "edge-headers-unplaced": { readonly names: readonly string[] };
  /** `holds`: a credential; absent: it must never be shipped by its name. */
  readonly "never-ship": { readonly holds?: Secret };
  /** No file and no folder: a pipe, a socket, a device. */
  readonly "special-file": Nothing;
  readonly "not-read": { readonly why: UnreadText; readonly size: number };
  readonly "source-maps": { readonly count: number };
  /** Files that hold what another one beside them holds, encoded. */
  readonly "encoded-twins": { readonly count: number; readonly of: number };
  /** Scripts and styles that pages load, without a hash in their names. `bytes`: as built; `glob`: where most of them stand. */
  readonly "stable-names": {
    readonly bytes: number;
    readonly files: number;
    readonly pages: number;
    readonly glob: string;
  };
  /** The page for what is missing is missing itself. `isNamed`: the settings name it. */
  readonly "no-not-found-page": { readonly page: ObjectKey; readonly isNamed: boolean };
  /** The release that is live has a service worker under this name, and the build has not. */
  readonly "worker-vanishes": Nothing;
  readonly "pinned-name": { readonly to: ObjectKey };
  /** Bytes. */
  readonly "too-much-metadata": { readonly size: number; readonly most: number };
  readonly "old-build": { readonly source: string };
  readonly "fingerprint-reused": Nothing;
  readonly vanish: { readonly keys: readonly ObjectKey[]; readonly of: number };
  readonly "other-site": { readonly site: string };
  readonly older: { readonly sequence: number; readonly live: number };
  readonly forgotten: Nothing;
  readonly exposed: { readonly at: "store" | "site" };
}

type Nothing = Readonly<Record<string, never>>;

export type ProblemCode = keyof ProblemFacts;

export const SEVERITIES = ["error", "warning", "note"] as const;
type Severity = (typeof SEVERITIES)[number];

/** Something that pure code found wrong: data, collected, never thrown. */
export type Problem = { readonly [Code in ProblemCode]: ProblemOf<Code> }[ProblemCode];

export interface ProblemOf<Code extends ProblemCode> {
  readonly code: Code;
  readonly severity: Severity;
  readonly facts: ProblemFacts[Code];
  /** A file of the build, or the address of a redirect. */
  readonly path?: string;
  /** From 1. */
  readonly line?: number;
}

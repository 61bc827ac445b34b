/** Where a distribution fetches what it does not hold. */
export interface Origin {
  /** A host name; its port only where it is not the scheme's own. */
  readonly host: string;
  /** What is put before every path; empty, or begins with a slash and does not end in one. */
  readonly path: string;
  /** `signed`: it says who it is, so that the store lets it alone in; `plain`: it asks as anybody does. */
  readonly access: "signed" | "plain";
  readonly protocol: "http" | "https" | "as-asked";
}

/** What visitors are answered in the place of an error of the origin, and how long that is held. */
export interface ErrorAnswer {
  /** The status that the origin answers. */
  readonly status: number;
  /** An address; absent: the origin's own answer goes on to the visitor. */
  readonly page?: string | undefined;
  /** The status that the visitor sees; absent: that of the origin. */
  readonly as?: number | undefined;
  /** At least, in seconds. */
  readonly heldSeconds: number;
}

/** What copies are told apart by, and for how long they are held at least. */
export interface CacheRule {
  readonly query: boolean;
  readonly cookies: boolean;
  /** Request headers besides `Accept-Encoding`, in lower case. */
  readonly headers: readonly string[];
  /** Whether compressed forms are held, so that they can be asked for. */
  readonly compressed: boolean;
  /** Whatever answers say. */
  readonly minimumSeconds: number;
}

/** What http is answered with. `open`: the page; `leads`: a redirect to https; `shut`: 403. */
export type PlainHttp = "open" | "leads" | "shut";

/** The settings of a distribution that the tool sees to. Whatever else it has stays as it is. */
export interface DistributionSetup {
  readonly origin: Origin;
  /** What `/` stands for, without a slash before it; empty: nothing. */
  readonly rootDocument: string;
  readonly errors: readonly ErrorAnswer[];
  readonly compresses: boolean;
  readonly plainHttp: PlainHttp;
  /** HTTP methods that it takes. */
  readonly methods: readonly string[];
  readonly cache: CacheRule;
  /** Host names besides its own. */
  readonly names: readonly string[];
  /** The reference of a certificate for these names; absent: its own, for its own name. */
  readonly certificate?: string | undefined;
  readonly isOn: boolean;
  /** The name of the function that is run for each request before the cache is looked at; absent: none. */
  readonly viewerFunction?: string | undefined;
  /** Headers that every answer gets; absent: none. */
  readonly headersPolicy?: HeadersPolicy | undefined;
}

/** What a distribution sets of headers, beside its own settings. */
export interface HeadersPolicy {
  /** Empty: it is not made yet. */
  readonly id: string;
  readonly name: string;
}

/** A distribution as it stands. */
export interface DistributionFacts extends DistributionSetup {
  readonly id: string;
  /** The host name that it has by itself. */
  readonly domain: string;
  /** Whether all its places have its newest settings. */
  readonly isDeployed: boolean;
  /** Whether its function leads unknown addresses to the entry page; absent: it has none of ours. */
  readonly answersRoutes?: boolean | undefined;
}

/** A certificate that distributions can be given. */
export interface CertificateFacts {
  readonly reference: string;
  /** Host names; `*` stands for one label. */
  readonly names: readonly string[];
  /** ISO 8601 UTC; absent: not known. */
  readonly until?: string | undefined;
  /** Whether it was issued and not revoked. */
  readonly isIssued: boolean;
}

/** What is done at the interface of distributions. */
export type ControlAction =
  | "read-distribution"
  | "list-distributions"
  | "make-distribution"
  | "change-distribution"
  | "read-cache-policy"
  | "list-cache-policies"
  | "make-cache-policy"
  | "read-origin-access"
  | "list-origin-access"
  | "make-origin-access"
  | "list-certificates"
  | "read-function"
  | "make-function"
  | "change-function"
  | "publish-function"
  | "read-headers-policy"
  | "list-headers-policies"
  | "make-headers-policy"
  | "change-headers-policy";

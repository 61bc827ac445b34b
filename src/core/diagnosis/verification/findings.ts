import type { TlsFault } from "../../model/tls-fault.ts";
import type { VisitorAnswer } from "../../model/visitor-answer.ts";
import { parseEdgeFreshness } from "../../model/cache-control.ts";
import type { ObjectKey, Sha256, UrlPath } from "../../model/names.ts";
import type { RecordedParcel } from "../../model/parcel.ts";
import type { Check } from "./checks.ts";

/** What came back for one form of one request. */
export interface Observation {
  /** The `Accept-Encoding` that was sent; empty: none. */
  readonly form: string;
  /** Absent: nobody answered. */
  readonly answer?: VisitorAnswer | undefined;
  /** Why there is no safe connection, where that is why nobody answered. */
  readonly tls?: TlsFault | undefined;
}

export const FINDING_CODES = [
  "unreachable",
  "old-content",
  "other-content",
  "not-answered",
  "refused",
  "failing",
  "type",
  "cache-control",
  "not-compressed",
  "redirect",
  "not-found-page",
  "route",
  "script-answered",
  "query",
  "held-too-long",
  "not-secure",
  "expected-header",
  "stored-otherwise",
] as const;
type FindingCode = (typeof FINDING_CODES)[number];

/** What should have come. */
export type Expected =
  | { readonly code: "answer" | "as-without-query" | "compressed" | "https" | "not-found" }
  /** The content of a file; `page`: with 404; `stored`: in the store. */
  | { readonly code: "content" | "page" | "stored"; readonly key: ObjectKey }
  | { readonly code: "redirect"; readonly status: number | undefined; readonly location: string }
  /** `name`: where the code of the finding does not say it. */
  | { readonly code: "header"; readonly name?: string; readonly value: string }
  | { readonly code: "held-at-most"; readonly seconds: number };

/** What came. */
export type Found =
  | {
      readonly code:
        | "none"
        | "never-delivered"
        | "another-page"
        | "no-type"
        | "no-cache-control"
        | "another-object"
        | "lacking";
    }
  /** Nothing, since there is no safe connection. */
  | { readonly code: "unsafe"; readonly tls: TlsFault }
  | { readonly code: "status"; readonly status: number; readonly type?: string | undefined }
  | { readonly code: "redirect"; readonly status: number; readonly location: string }
  | { readonly code: "release"; readonly release: number }
  | { readonly code: "header"; readonly name?: string; readonly value: string }
  /** Seconds for which it is held more, or is held already. */
  | { readonly code: "left" | "age"; readonly seconds: number }
  /** Bytes. */
  | { readonly code: "uncompressed"; readonly size: number };

/** Something that is not as it was delivered, before anybody has asked why. */
export interface Symptom {
  readonly address: UrlPath;
  readonly code: FindingCode;
  readonly expected: Expected;
  readonly found: Found;
  /** The `Accept-Encoding` that was sent. */
  readonly form?: string;
  readonly check: Check;
  /** The release whose content still answers. */
  readonly heldSince?: number;
  /** How long the copy had been held, seconds, where the answer said so. */
  readonly ageSeconds?: number;
}

export interface JudgeFacts {
  /** Earlier contents under the address of a check, with their releases. */
  readonly earlierOf: (check: Check) => ReadonlyMap<Sha256, number>;
  /** Header names and values that every answer must have; `*`: any value. */
  readonly expectedHeaders: Readonly<Record<string, string>>;
}

/** What is wrong about an address, at most one symptom of each kind; forms that are wrong in the same way count once. */
export function findSymptoms(
  check: Check,
  observations: readonly Observation[],
  facts: JudgeFacts,
): Symptom[] {
  const all = observations.flatMap((observation) => judge(check, observation, facts));
  const compressed = check.kind === "content" ? findUncompressed(check, observations) : [];
  return [
    ...new Map(
      [...all, ...compressed].map((symptom) => [symptom.code + JSON.stringify(symptom.found), symptom]),
    ).values(),
  ];
}

function judge(check: Check, { form, answer, tls }: Observation, facts: JudgeFacts): Symptom[] {
  const { address } = check;
  const symptom = (
    code: FindingCode,
    expected: Expected,
    found: Found,
    more: Partial<Symptom> = {},
  ): Symptom => ({ ...{ address, code, expected, found, check }, ...(form === "" ? {} : { form }), ...more });
  if (!answer)
    return [symptom("unreachable", { code: "answer" }, tls ? { code: "unsafe", tls } : { code: "none" })];
  const { status, headers } = answer;
  switch (check.kind) {
    case "content":
    case "query":
      return judgeContent(check, answer, symptom, facts);
    case "redirect": {
      const location = headers.location ?? "";
      const isRight = check.statuses.includes(status) && isSameTarget(location, check.location, headers);
      if (isRight) return [];
      const expected = { code: "redirect", status: check.statuses[0], location: check.location } as const;
      return [
        symptom(
          "redirect",
          expected,
          location === "" ? toStatus(status) : { code: "redirect", status, location },
        ),
      ];
    }
    case "route": {
      const isEntry = status === 200 && (answer.hash === undefined || answer.hash === check.parcel.hash);
      const expected = { code: "content", key: check.parcel.key } as const;
      return isEntry ? [] : [symptom("route", expected, describe(answer))];
    }
    case "missingScript":
      return status < 400 ? [symptom("script-answered", { code: "not-found" }, describe(answer))] : [];
    case "missing":
      return judgeMissing(check, answer, symptom);
  }
}

type MakeSymptom = (code: FindingCode, expected: Expected, found: Found, more?: Partial<Symptom>) => Symptom;

const toStatus = (status: number): Found => ({ code: "status", status });

function judgeContent(
  check: Extract<Check, { kind: "content" | "query" }>,
  answer: VisitorAnswer,
  symptom: MakeSymptom,
  { earlierOf, expectedHeaders }: JudgeFacts,
): Symptom[] {
  const { status, headers, hash } = answer;
  const { parcel } = check;
  const age = /^\d+$/.test(headers.age ?? "") ? { ageSeconds: Number(headers.age) } : {};
  const expected: Expected = { code: "content", key: parcel.key };
  if (check.kind === "query") {
    const isSame = status === 200 && (hash === undefined || hash === parcel.hash);
    return isSame ? [] : [symptom("query", { code: "as-without-query" }, describe(answer))];
  }
  if (status === 401 || status === 403) return [symptom("refused", expected, toStatus(status), age)];
  if (status === 404 || status === 410) return [symptom("not-answered", expected, toStatus(status), age)];
  if (status !== 200) return [symptom("failing", expected, describe(answer), age)];
  if (hash !== undefined && hash !== parcel.hash) {
    const release = earlierOf(check).get(hash);
    return release === undefined
      ? [symptom("other-content", expected, { code: "never-delivered" }, age)]
      : [symptom("old-content", expected, { code: "release", release }, { ...age, heldSince: release })];
  }
  return [
    ...findWrongHeaders(parcel, headers, symptom),
    ...findHeldTooLong(parcel, answer, symptom),
    ...findUnexpected(headers, expectedHeaders, symptom),
  ];
}

/** Type and freshness, which are recorded with the file. */
function findWrongHeaders(
  { headers: recorded }: RecordedParcel,
  headers: VisitorAnswer["headers"],
  symptom: MakeSymptom,
): Symptom[] {
  const compared = [
    ["type", "content-type", "no-type"],
    ["cache-control", "cache-control", "no-cache-control"],
  ] as const;
  return compared.flatMap(([code, name, missing]): Symptom[] => {
    const [wanted, value] = [recorded[name], headers[name]];
    if (wanted === undefined || plain(value) === plain(wanted)) return [];
    const found: Found = value === undefined ? { code: missing } : { code: "header", value };
    return [symptom(code, { code: "header", value: wanted }, found)];
  });
}

/** Headers that the settings expect of every answer. */
const findUnexpected = (
  headers: VisitorAnswer["headers"],
  expectedHeaders: JudgeFacts["expectedHeaders"],
  symptom: MakeSymptom,
): Symptom[] =>
  Object.entries(expectedHeaders).flatMap(([name, value]): Symptom[] => {
    const found = headers[name.toLowerCase()];
    if (found !== undefined && (value === "*" || plain(found) === plain(value))) return [];
    return [
      symptom(
        "expected-header",
        { code: "header", name, value },
        found === undefined ? { code: "none" } : { code: "header", name, value: found },
      ),
    ];
  });

/**
 * Seconds by which a copy that was just fetched may seem old: its `Date` is in whole seconds, by another clock, and the time
 * that the fetch took counts too (RFC 9111 §4.2.3).
 */
const SEEMING_AGE = 5;

/** An age, or a time left to live, that is beyond what the response itself allows (RFC 9111 §5.1, RFC 9211 §2.5). */
function findHeldTooLong(
  { headers: recorded }: RecordedParcel,
  { headers }: VisitorAnswer,
  symptom: MakeSymptom,
): Symptom[] {
  const allowed = parseEdgeFreshness(recorded["cache-control"]);
  if (allowed === undefined) return [];
  const age = Number(headers.age ?? "0");
  const left = Number(/;\s*hit\b.*;\s*ttl=(\d+)/.exec(headers["cache-status"] ?? "")?.[1] ?? "0");
  if (age <= allowed + SEEMING_AGE && left <= allowed) return [];
  const found: Found = left > allowed ? { code: "left", seconds: left } : { code: "age", seconds: age };
  return [symptom("held-too-long", { code: "held-at-most", seconds: allowed }, found)];
}

function judgeMissing(
  { notFound, hasPage }: Extract<Check, { kind: "missing" }>,
  answer: VisitorAnswer,
  symptom: MakeSymptom,
): Symptom[] {
  const expected: Expected = notFound ? { code: "page", key: notFound.key } : { code: "not-found" };
  // A store tells nobody what is missing who may not list it. Without a page of the site's own there is nothing better.
  if (answer.status === 403 && !hasPage) return [];
  if (answer.status !== 404) return [symptom("not-found-page", expected, describe(answer))];
  const isPage = !notFound || answer.hash === undefined || answer.hash === notFound.hash;
  return isPage ? [] : [symptom("not-found-page", expected, { code: "another-page" })];
}

const COMPRESSIBLE = /^(text\/|application\/(javascript|json|manifest\+json|xml|wasm)|image\/svg)/;
/** Smaller answers are not worth it. */
const LEAST_COMPRESSED = 1400;

function findUncompressed(
  check: Extract<Check, { kind: "content" }>,
  observations: readonly Observation[],
): Symptom[] {
  const { headers, size, encoding, hash } = check.parcel;
  if (encoding !== undefined || size < LEAST_COMPRESSED || !COMPRESSIBLE.test(headers["content-type"] ?? ""))
    return [];
  const offered = observations.filter(({ form, answer }) => /gzip|br/.test(form) && answer?.hash === hash);
  const [plainOne] = offered.filter(({ answer }) => (answer?.headers["content-encoding"] ?? "") === "");
  if (!plainOne) return [];
  const { address } = check;
  return [
    {
      ...{ address, check, code: "not-compressed", expected: { code: "compressed" } },
      found: { code: "uncompressed", size },
    },
  ];
}

/** Somebody may answer with the whole address where the record has its path. */
function isSameTarget(found: string, wanted: string, headers: VisitorAnswer["headers"]): boolean {
  return found === wanted || found.replace(/^https?:\/\/[^/]+/, "") === wanted || headers.location === wanted;
}

const plain = (value: string | undefined): string => (value ?? "").toLowerCase().replace(/\s+/g, "");

const describe = ({ status, headers }: VisitorAnswer): Found => ({
  ...{ code: "status", status },
  type: headers["content-type"],
});

import { parseEdgeFreshness } from "../../build/headers.ts";
import type { Sha256, UrlPath } from "../../model/names.ts";
import type { RecordedParcel } from "../../model/parcel.ts";
import type { Check } from "./checks.ts";

/** What came back for one form of one request. */
export interface Observation {
  /** The `Accept-Encoding` that was sent; empty: none. */
  readonly form: string;
  /** Absent: nobody answered. */
  readonly answer?: ObservedAnswer | undefined;
}

export interface ObservedAnswer {
  readonly status: number;
  readonly headers: Readonly<Record<string, string>>;
  /** Of the decoded body; undefined: its coding is not known here. */
  readonly hash: Sha256 | undefined;
  /** Bytes as sent. */
  readonly size: number;
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
  "script-answered",
  "query",
  "held-too-long",
  "not-secure",
  "expected-header",
  "stored-otherwise",
] as const;
export type FindingCode = (typeof FINDING_CODES)[number];

/** Something that is not as it was delivered, before anybody has asked why. */
export interface Symptom {
  readonly address: UrlPath;
  readonly code: FindingCode;
  readonly expected: string;
  readonly found: string;
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

/** What is wrong about an address, at most one symptom a kind; forms that are wrong in the same way count once. */
export function findSymptoms(
  check: Check,
  observations: readonly Observation[],
  facts: JudgeFacts,
): Symptom[] {
  const all = observations.flatMap((observation) => judge(check, observation, facts));
  const compressed = check.kind === "content" ? findUncompressed(check, observations) : [];
  return [
    ...new Map([...all, ...compressed].map((symptom) => [symptom.code + symptom.found, symptom])).values(),
  ];
}

function judge(check: Check, { form, answer }: Observation, facts: JudgeFacts): Symptom[] {
  const { address } = check;
  const symptom = (
    code: FindingCode,
    expected: string,
    found: string,
    more: Partial<Symptom> = {},
  ): Symptom => ({ ...{ address, code, expected, found, check }, ...(form === "" ? {} : { form }), ...more });
  if (!answer) return [symptom("unreachable", "an answer", "none")];
  const { status, headers } = answer;
  switch (check.kind) {
    case "content":
    case "query":
      return judgeContent(check, answer, symptom, facts);
    case "redirect": {
      const location = headers.location ?? "";
      const isRight = check.statuses.includes(status) && isSameTarget(location, check.location, headers);
      const found = location === "" ? String(status) : `${status} ${location}`;
      return isRight ? [] : [symptom("redirect", `${check.statuses[0]} ${check.location}`, found)];
    }
    case "missingScript":
      return status < 400 ? [symptom("script-answered", "404", describe(answer))] : [];
    case "missing":
      return judgeMissing(check, answer, symptom);
  }
}

type MakeSymptom = (code: FindingCode, expected: string, found: string, more?: Partial<Symptom>) => Symptom;

function judgeContent(
  check: Extract<Check, { kind: "content" | "query" }>,
  answer: ObservedAnswer,
  symptom: MakeSymptom,
  { earlierOf, expectedHeaders }: JudgeFacts,
): Symptom[] {
  const { status, headers, hash } = answer;
  const { parcel } = check;
  const age = /^\d+$/.test(headers.age ?? "") ? { ageSeconds: Number(headers.age) } : {};
  const expected = `200, the content of ${parcel.key}`;
  if (check.kind === "query") {
    const isSame = status === 200 && (hash === undefined || hash === parcel.hash);
    return isSame ? [] : [symptom("query", "the same as without a query", describe(answer))];
  }
  if (status === 401 || status === 403) return [symptom("refused", expected, String(status), age)];
  if (status === 404 || status === 410) return [symptom("not-answered", expected, String(status), age)];
  if (status !== 200) return [symptom("failing", expected, describe(answer), age)];
  const symptoms: Symptom[] = [];
  if (hash !== undefined && hash !== parcel.hash) {
    const release = earlierOf(check).get(hash);
    const isOld = release !== undefined;
    const found = isOld ? `the content of release ${release}` : "content that was never delivered there";
    return [
      symptom(isOld ? "old-content" : "other-content", expected, found, {
        ...age,
        ...(isOld ? { heldSince: release } : {}),
      }),
    ];
  }
  const type = parcel.headers["content-type"];
  if (type !== undefined && plain(headers["content-type"]) !== plain(type))
    symptoms.push(symptom("type", type, headers["content-type"] ?? "no content type"));
  const control = parcel.headers["cache-control"];
  if (control !== undefined && plain(headers["cache-control"]) !== plain(control))
    symptoms.push(symptom("cache-control", control, headers["cache-control"] ?? "no Cache-Control"));
  symptoms.push(...findHeldTooLong(parcel, answer, symptom));
  for (const [name, value] of Object.entries(expectedHeaders)) {
    const found = headers[name.toLowerCase()];
    if (found === undefined || (value !== "*" && plain(found) !== plain(value)))
      symptoms.push(
        symptom("expected-header", `${name}: ${value}`, found === undefined ? "none" : `${name}: ${found}`),
      );
  }
  return symptoms;
}

/** An age, or a time left to live, that is beyond what the response itself allows (RFC 9111 §5.1, RFC 9211 §2.5). */
function findHeldTooLong(
  { headers: recorded }: RecordedParcel,
  { headers }: ObservedAnswer,
  symptom: MakeSymptom,
): Symptom[] {
  const allowed = parseEdgeFreshness(recorded["cache-control"]);
  if (allowed === undefined) return [];
  const age = Number(headers.age ?? "0");
  const left = Number(/;\s*hit\b.*;\s*ttl=(\d+)/.exec(headers["cache-status"] ?? "")?.[1] ?? "0");
  if (age <= allowed && left <= allowed) return [];
  const found = left > allowed ? `${left} s more` : `${age} s already`;
  return [symptom("held-too-long", `held for ${allowed} s at most`, found)];
}

function judgeMissing(
  { notFound }: Extract<Check, { kind: "missing" }>,
  answer: ObservedAnswer,
  symptom: MakeSymptom,
): Symptom[] {
  const expected = notFound ? `404, the content of ${notFound.key}` : "404";
  if (answer.status !== 404) return [symptom("not-found-page", expected, describe(answer))];
  const isPage = !notFound || answer.hash === undefined || answer.hash === notFound.hash;
  return isPage ? [] : [symptom("not-found-page", expected, "404, another page")];
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
  const found = `${size} bytes, uncompressed`;
  return [{ address, code: "not-compressed", expected: "compressed", found, check }];
}

/** Somebody may answer with the whole address where the record has its path. */
function isSameTarget(found: string, wanted: string, headers: ObservedAnswer["headers"]): boolean {
  return found === wanted || found.replace(/^https?:\/\/[^/]+/, "") === wanted || headers.location === wanted;
}

const plain = (value: string | undefined): string => (value ?? "").toLowerCase().replace(/\s+/g, "");

export const describe = ({ status, headers }: ObservedAnswer): string =>
  headers["content-type"] === undefined ? String(status) : `${status} ${headers["content-type"]}`;

import type { Reading } from "../model/bucket.ts";
import type {
  CacheRule,
  CertificateFacts,
  ControlAction,
  DistributionFacts,
  DistributionSetup,
  ErrorAnswer,
  Origin,
  PlainHttp,
} from "../model/distribution.ts";
import { planMeans, type MeansStep, type MeansTaken, type MeansWishes } from "./means.ts";
import { chooseCertificate, isForName, type CertificateFault } from "./certificates.ts";

/** Why nobody can say what a distribution should read from. */
export type OriginFault =
  /** The site's addresses begin with `basePath`, and its keys do not: the edge would have to change paths. */
  | { readonly code: "prefix"; readonly basePath: string; readonly prefix: string }
  | { readonly code: "no-region" }
  /** The store is elsewhere, and nobody has said where its website endpoint is. */
  | { readonly code: "website-elsewhere" }
  /** The store is elsewhere, and requests are signed for the cloud's own buckets only. */
  | { readonly code: "signed-elsewhere" };

/** An address, and the status that visitors see. */
interface MissingPage {
  readonly page: string;
  readonly as: number;
}

/** How a distribution should be. */
export interface DistributionWishes {
  readonly origin: Origin | OriginFault;
  /** Other host names under which the origin is the same one. */
  readonly sameHosts: readonly string[];
  /** What `/` stands for; absent: the origin resolves it, or `/` is not this site's. */
  readonly rootDocument?: string | undefined;
  /** What unknown addresses are answered with, where no function of ours leads them elsewhere. */
  readonly missing: MissingPage;
  /** The same where one does. */
  readonly missingFiles: MissingPage;
  /** What it is given besides. */
  readonly means: MeansWishes;
  /** Whether all its addresses are this site's; otherwise what others may have set for theirs stays. */
  readonly isWhole: boolean;
  /** Whether visitors come by https. */
  readonly https: boolean;
  /** Whether the settings leave queries out of what copies are told apart by. */
  readonly ignoresQuery: boolean;
  /** In seconds, as the settings say it. */
  readonly minimumSeconds: number;
  readonly names: readonly string[];
  readonly certificate?: string | undefined;
  readonly certificateRegion: string;
}

/** One change of a distribution: what it was, and what it is to be. */
export type DistributionStep =
  | { readonly do: "make-distribution"; readonly setup: DistributionSetup }
  | { readonly do: "set-origin"; readonly before: Origin; readonly after: Origin }
  | { readonly do: "set-root-document"; readonly before: string; readonly after: string }
  | {
      readonly do: "set-missing-pages";
      readonly before: readonly ErrorAnswer[];
      readonly after: readonly ErrorAnswer[];
    }
  | { readonly do: "shorten-errors"; readonly statuses: readonly number[]; readonly longest: number }
  | { readonly do: "switch-compression-on" }
  | { readonly do: "set-plain-http"; readonly before: PlainHttp; readonly after: PlainHttp }
  | { readonly do: "set-methods"; readonly before: readonly string[]; readonly after: readonly string[] }
  | { readonly do: "set-cache-keys"; readonly before: CacheRule }
  | { readonly do: "set-minimum-freshness"; readonly before: number; readonly after: number }
  | { readonly do: "set-certificate"; readonly before: string | undefined; readonly after: string }
  | { readonly do: "add-names"; readonly names: readonly string[] }
  | { readonly do: "switch-on" }
  | MeansStep
  /** What is known of it now is written where nobody has said it. */
  | { readonly do: "write-settings"; readonly file: string; readonly names: readonly string[] };

/** What is left to a person. */
export type DistributionByHand =
  | { readonly code: "certificate"; readonly names: readonly string[]; readonly fault: CertificateFault }
  | { readonly code: "origin"; readonly fault: OriginFault }
  | MeansTaken
  /** This identity may not look at it, or nobody answers where it is set up. */
  | {
      readonly code: "out-of-reach";
      readonly why: "denied" | "unreachable";
      readonly id: string;
      readonly action: ControlAction;
      readonly answer: string;
    }
  /** The settings file could not be written. `lines`: what belongs into it. */
  | {
      readonly code: "settings";
      readonly file: string;
      readonly lines: readonly string[];
      readonly why: string;
    };

export interface DistributionPlan {
  readonly steps: readonly DistributionStep[];
  readonly byHand: readonly DistributionByHand[];
  /** The changes of the steps together, or all of a new one. */
  readonly changes: Partial<DistributionSetup>;
}

/** Error answers are held for so long by what is made here, and for no longer than the second by anybody. */
const HELD_SECONDS = 10;
const LONGEST_SECONDS = 60;
const METHODS = ["GET", "HEAD"];
const FITTING_METHODS = new Set([...METHODS, "OPTIONS"]);

/** What copies are told apart by where nothing makes an answer depend on who asks. */
const toCacheRule = ({ ignoresQuery, minimumSeconds }: DistributionWishes): CacheRule => ({
  ...{ query: !ignoresQuery, cookies: false, headers: [], compressed: true, minimumSeconds },
});

/** What has to be changed so that a distribution is as it should be; nothing where it is. */
export function planDistribution(
  facts: DistributionFacts | undefined,
  wishes: DistributionWishes,
  known: { readonly certificates: Reading<readonly CertificateFacts[]>; readonly nowMs: number },
): DistributionPlan {
  if (!facts) return planNew(wishes, known);
  const naming = planNames(facts, wishes, known);
  const cache = planCache(facts.cache, wishes);
  const parts: DistributionPlan[] = [
    facts.isOn ? NOTHING : change({ do: "switch-on" }, { isOn: true }),
    planOrigin(facts.origin, wishes),
    planRoot(facts.rootDocument, wishes),
    planErrors(facts.errors, toMissingPages(facts, wishes), wishes),
    facts.compresses ? NOTHING : change({ do: "switch-compression-on" }, { compresses: true }),
    planPlainHttp(facts.plainHttp, wishes),
    planMethods(facts.methods),
    cache,
    naming,
    planMeans(facts, wishes.means),
  ];
  return {
    steps: parts.flatMap(({ steps }) => steps),
    byHand: parts.flatMap(({ byHand }) => byHand),
    changes: Object.assign({}, ...parts.map(({ changes }) => changes)) as Partial<DistributionSetup>,
  };
}

/**
 * What may stand for what is missing, the best first. Unknown addresses are the function's only from the delivery on that
 * tells it so: until then either will do, and what is answered now is not taken from visitors.
 */
const toMissingPages = (
  { viewerFunction, answersRoutes }: DistributionFacts,
  { means, missing, missingFiles }: DistributionWishes,
): readonly [MissingPage, ...MissingPage[]] => {
  if (means.viewerFunction === undefined || viewerFunction !== means.viewerFunction) return [missing];
  return answersRoutes === true ? [missingFiles] : [missing, missingFiles];
};

const NOTHING: DistributionPlan = { steps: [], byHand: [], changes: {} };
const change = (step: DistributionStep, changes: Partial<DistributionSetup>): DistributionPlan => ({
  ...{ steps: [step], byHand: [], changes },
});

type Known = Parameters<typeof planDistribution>[2];

function planNew(wishes: DistributionWishes, known: Known): DistributionPlan {
  const { missing, missingFiles, origin, means } = wishes;
  if (!isKnown(origin)) return { ...NOTHING, byHand: [{ code: "origin", fault: origin }] };
  const bare: DistributionSetup = {
    ...{ origin, rootDocument: wishes.rootDocument ?? "", compresses: true, isOn: true },
    errors: toMissing(means.viewerFunction === undefined ? missing : missingFiles),
    plainHttp: wishes.https ? "leads" : "open",
    ...{ methods: METHODS, cache: toCacheRule(wishes), names: [] },
    ...(means.viewerFunction === undefined ? {} : { viewerFunction: means.viewerFunction }),
    ...(means.headersPolicy === undefined ? {} : { headersPolicy: means.headersPolicy }),
  };
  const { changes, byHand } = planNames({ ...bare, domain: "" }, wishes, known);
  const setup = { ...bare, ...changes };
  return { steps: [{ do: "make-distribution", setup }], byHand, changes: setup };
}

const isKnown = (origin: Origin | OriginFault): origin is Origin => "host" in origin;

function planOrigin(before: Origin, { origin: after, sameHosts }: DistributionWishes): DistributionPlan {
  if (!isKnown(after)) return { ...NOTHING, byHand: [{ code: "origin", fault: after }] };
  const isSameHost = before.host === after.host || sameHosts.includes(before.host);
  // Who says who it is may read what everybody may.
  const isLetIn = after.access === "plain" || before.access === "signed";
  // A website endpoint answers plain http alone.
  const isSpoken = after.protocol !== "http" || before.protocol === "http";
  if (isSameHost && before.path === after.path && isLetIn && isSpoken) return NOTHING;
  return change({ do: "set-origin", before, after }, { origin: after });
}

const planRoot = (before: string, { rootDocument: after }: DistributionWishes): DistributionPlan =>
  after === undefined || before === after
    ? NOTHING
    : change({ do: "set-root-document", before, after }, { rootDocument: after });

/** A store says 403 of what is missing to whoever may not list. */
const MISSING = [403, 404];

const toMissing = ({ page, as }: MissingPage): ErrorAnswer[] =>
  MISSING.map((status) => ({ status, page, as, heldSeconds: HELD_SECONDS }));

function planErrors(
  standing: readonly ErrorAnswer[],
  pages: readonly [MissingPage, ...MissingPage[]],
  { isWhole }: DistributionWishes,
): DistributionPlan {
  const isRight = ({ status }: ErrorAnswer): boolean =>
    standing.some(
      (one) =>
        one.status === status &&
        (pages.some((fit) => one.page === fit.page && (one.as ?? one.status) === fit.as) ||
          (!isWhole && one.page !== undefined)),
    );
  const wrong = toMissing(pages[0]).filter((one) => !isRight(one));
  const kept = standing.filter(({ status }) => !wrong.some((one) => one.status === status));
  const long = kept.filter(({ heldSeconds }) => heldSeconds > LONGEST_SECONDS);
  const short = kept.map((one) => (long.includes(one) ? { ...one, heldSeconds: HELD_SECONDS } : one));
  const after = [...short, ...wrong].sort((a, b) => a.status - b.status);
  const before = standing.filter(({ status }) => wrong.some((one) => one.status === status));
  const steps: DistributionStep[] = [
    ...(wrong.length > 0 ? [{ do: "set-missing-pages" as const, before, after: wrong }] : []),
    ...(long.length > 0 ? [toShorter(long)] : []),
  ];
  return steps.length === 0 ? NOTHING : { steps, byHand: [], changes: { errors: after } };
}

const toShorter = (long: readonly ErrorAnswer[]): DistributionStep => ({
  do: "shorten-errors",
  statuses: long.map(({ status }) => status),
  longest: Math.max(...long.map(({ heldSeconds }) => heldSeconds)),
});

function planPlainHttp(before: PlainHttp, { https }: DistributionWishes): DistributionPlan {
  const after = https ? "leads" : "open";
  return before === after ? NOTHING : change({ do: "set-plain-http", before, after }, { plainHttp: after });
}

function planMethods(before: readonly string[]): DistributionPlan {
  const isFitting = METHODS.every((one) => before.includes(one));
  if (isFitting && before.every((one) => FITTING_METHODS.has(one))) return NOTHING;
  return change({ do: "set-methods", before, after: METHODS }, { methods: METHODS });
}

function planCache(before: CacheRule, wishes: DistributionWishes): DistributionPlan {
  const isApart =
    (before.query && wishes.ignoresQuery) ||
    before.cookies ||
    before.headers.length > 0 ||
    !before.compressed;
  const isLong = before.minimumSeconds !== wishes.minimumSeconds;
  const steps: DistributionStep[] = [
    ...(isApart ? [{ do: "set-cache-keys" as const, before }] : []),
    ...(isLong
      ? [
          {
            ...{ do: "set-minimum-freshness" as const },
            ...{ before: before.minimumSeconds, after: wishes.minimumSeconds },
          },
        ]
      : []),
  ];
  if (steps.length === 0) return NOTHING;
  const query = wishes.ignoresQuery ? false : before.query;
  return { steps, byHand: [], changes: { cache: { ...toCacheRule(wishes), query } } };
}

/** Names can be given only with a certificate that is for them. The site's own does not wait for those of its previews. */
function planNames(
  facts: Pick<DistributionFacts, "names" | "certificate" | "domain">,
  wishes: DistributionWishes,
  known: Known,
): DistributionPlan {
  const names = wishes.names.filter((name) => name !== facts.domain);
  if (names.length === 0) return NOTHING;
  const whole = planCertified(facts, names, { wishes, known });
  const own = names.filter((name) => !name.startsWith("*."));
  if (!("fault" in whole) || own.length === 0 || own.length === names.length)
    return "fault" in whole
      ? { ...NOTHING, byHand: [{ code: "certificate", names, fault: whole.fault }] }
      : whole;
  const part = planCertified(facts, own, { wishes, known });
  const left = "fault" in part ? names : names.filter((name) => !own.includes(name));
  const byHand = [{ code: "certificate", names: left, fault: whole.fault } as const];
  return { ...("fault" in part ? NOTHING : part), byHand };
}

function planCertified(
  facts: Pick<DistributionFacts, "names" | "certificate">,
  names: readonly string[],
  { wishes, known: { certificates, nowMs } }: { readonly wishes: DistributionWishes; readonly known: Known },
): DistributionPlan | { readonly fault: CertificateFault } {
  const isThere = (name: string): boolean => facts.names.some((one) => isForName(one, name));
  const added = names.filter((name) => !isThere(name));
  // The names of others stay, so the certificate stays for them as well.
  const all = [...facts.names, ...added];
  const chosen = chooseCertificate(certificates, {
    ...{ names: all, said: wishes.certificate, standing: facts.certificate },
    ...{ region: wishes.certificateRegion, nowMs },
  });
  if ("fault" in chosen) return chosen;
  const { reference } = chosen;
  const steps: DistributionStep[] = [
    ...(reference === facts.certificate
      ? []
      : [{ do: "set-certificate" as const, before: facts.certificate, after: reference }]),
    ...(added.length > 0 ? [{ do: "add-names" as const, names: added }] : []),
  ];
  if (steps.length === 0) return NOTHING;
  return { steps, byHand: [], changes: { names: all, certificate: reference } };
}

/** What is known of a distribution that is as planned, as the settings say it. */
export interface KnownHabits {
  readonly query: "ignored" | "keyed";
  readonly minimumSeconds: number;
  /** For how long 'not found' is held. */
  readonly negativeSeconds: number;
}

/** Errors that nobody has said anything of are held for so long. */
const UNSAID_ERROR_SECONDS = 10;
/** A website's page for what is missing may be held for so long: it says so itself, as the role `notFound` has it. */
const PAGE_SECONDS = 60;

/** What the settings can say of a distribution that stands so. */
export function toHabits({
  cache,
  errors,
  origin,
}: Pick<DistributionSetup, "cache" | "errors" | "origin">): KnownHabits {
  const held = MISSING.map(
    (status) => errors.find((one) => one.status === status)?.heldSeconds ?? UNSAID_ERROR_SECONDS,
  );
  return {
    query: cache.query ? "keyed" : "ignored",
    minimumSeconds: cache.minimumSeconds,
    negativeSeconds: Math.max(...held, origin.access === "plain" ? PAGE_SECONDS : 0),
  };
}

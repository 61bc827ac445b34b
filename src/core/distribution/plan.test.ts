import { planMeans } from "./means.ts";
import * as fc from "fast-check";
import { holds } from "../../../test/support/seeds.ts";
import type { CertificateFacts, DistributionFacts, ErrorAnswer } from "../model/distribution.ts";
import { chooseCertificate, isForName } from "./certificates.ts";
import { planDistribution, toHabits, type DistributionWishes } from "./plan.ts";

const NOW = Date.parse("2026-11-30T00:00:00Z");
const ORIGIN = {
  host: "pelican.s3.eu-west-1.amazonaws.com",
  path: "",
  access: "signed",
  protocol: "https",
} as const;
const WWW = "www.pelican.test";
const CERTIFICATE: CertificateFacts = {
  reference: "arn:aws:acm:us-east-1:0:certificate/a",
  names: [WWW, "*.preview.pelican.test"],
  until: "2027-03-01T00:00:00Z",
  isIssued: true,
};
const OLD: CertificateFacts = {
  ...CERTIFICATE,
  reference: "arn:aws:acm:us-east-1:0:certificate/old",
  until: "2026-11-01T00:00:00Z",
};
const OTHER: CertificateFacts = {
  ...CERTIFICATE,
  reference: "arn:aws:acm:us-east-1:0:certificate/other",
  names: ["other.test"],
};
const KNOWN = { certificates: { state: "set", value: [OLD, OTHER, CERTIFICATE] }, nowMs: NOW } as const;
const WISHES: DistributionWishes = {
  ...{ origin: ORIGIN, sameHosts: ["pelican.s3-eu-west-1.amazonaws.com"], rootDocument: "index.html" },
  ...{ missing: { page: "/404.html", as: 404 }, isWhole: true, https: true, ignoresQuery: true },
  ...{ missingFiles: { page: "/404.html", as: 404 }, means: {} },
  ...{ minimumSeconds: 0, names: [WWW], certificateRegion: "us-east-1" },
}; // prettier-ignore

const made = (): DistributionFacts => {
  const [first] = planDistribution(undefined, WISHES, KNOWN).steps;
  if (first?.do !== "make-distribution") throw new Error("nothing is made");
  return { ...first.setup, id: "E1", domain: "d1.cloudfront.net", isDeployed: true };
};

test("a new one is made whole, with the certificate that is for its name, and nothing is left to do", () => {
  expect(made()).toMatchObject({ names: [WWW], certificate: CERTIFICATE.reference, plainHttp: "leads", isOn: true });
  expect(planDistribution(made(), WISHES, KNOWN)).toEqual({ steps: [], byHand: [], changes: {} });
  expect(toHabits(made())).toEqual({ query: "ignored", minimumSeconds: 0, negativeSeconds: 10 });
  // What the store says of its page for what is missing counts, where it says anything: a website's does.
  const unheld = made().errors.map((one) => ({ ...one, heldSeconds: 0 }));
  expect(toHabits({ ...made(), errors: unheld }).negativeSeconds).toBe(0);
  const website = { ...ORIGIN, access: "plain" as const, protocol: "http" as const };
  expect(toHabits({ ...made(), errors: unheld, origin: website }).negativeSeconds).toBe(60);
}); // prettier-ignore

const cache = (more: object): Partial<DistributionFacts> => ({ cache: { ...made().cache, ...more } });
const errors = (change: (one: ErrorAnswer) => ErrorAnswer): Partial<DistributionFacts> => ({ errors: made().errors.map(change) }); // prettier-ignore

test.each<[string, Partial<DistributionFacts>, string, Partial<DistributionWishes>?]>([
  ["another bucket", { origin: { ...ORIGIN, host: "other.s3.eu-west-1.amazonaws.com" } }, "set-origin"],
  ["another path", { origin: { ...ORIGIN, path: "/old" } }, "set-origin"],
  ["requests that nobody signs", { origin: { ...ORIGIN, access: "plain" } }, "set-origin"],
  ["a website endpoint that is asked by https", { origin: { ...ORIGIN, host: "w", access: "plain" } }, "set-origin", { origin: { host: "w", path: "", access: "plain", protocol: "http" }, rootDocument: undefined }],
  ["no root document", { rootDocument: "" }, "set-root-document"],
  ["the store's own 403", { errors: [] }, "set-missing-pages"],
  ["the entry page for what is missing", errors((one) => ({ ...one, page: "/index.html", as: 200 })), "set-missing-pages"],
  ["errors held for minutes", errors((one) => ({ ...one, heldSeconds: 300 })), "shorten-errors"],
  ["nothing compressed", { compresses: false }, "switch-compression-on"],
  ["http that is not led to https", { plainHttp: "open" }, "set-plain-http"],
  ["methods that write", { methods: ["GET", "HEAD", "PUT", "POST"] }, "set-methods"],
  ["copies for each query", cache({ query: true }), "set-cache-keys"],
  ["copies for each visitor", cache({ cookies: true }), "set-cache-keys"],
  ["copies for each header", cache({ headers: ["user-agent"] }), "set-cache-keys"],
  ["a minimum of a minute", cache({ minimumSeconds: 60 }), "set-minimum-freshness"],
  ["a name that it lacks", { names: [] }, "add-names"],
  ["a certificate that has ended", { certificate: OLD.reference }, "set-certificate"],
  ["a certificate for others", { certificate: OTHER.reference }, "set-certificate"],
  ["off", { isOn: false }, "switch-on"],
])("%s: just that is changed, and then nothing more", (_, wrong, step, wish = {}) => {
  const wishes = { ...WISHES, ...wish };
  const plan = planDistribution({ ...made(), ...wrong }, wishes, KNOWN);
  expect([plan.steps.map((one) => one.do), plan.byHand]).toEqual([[step], []]);
  expect(planDistribution({ ...made(), ...wrong, ...plan.changes }, wishes, KNOWN).steps).toEqual([]);
}); // prettier-ignore

test.each<[string, Partial<DistributionFacts>, Partial<DistributionWishes>?]>([
  ["OPTIONS beside GET and HEAD", { methods: ["GET", "HEAD", "OPTIONS"] }],
  ["names of others", { names: [WWW, "fares.preview.pelican.test"] }],
  ["another name of the same host", { origin: { ...ORIGIN, host: "pelican.s3-eu-west-1.amazonaws.com" } }],
  ["signed requests where everybody may read", {}, { origin: { ...ORIGIN, access: "plain" } }],
  ["queries that the settings keep apart", cache({ query: true }), { ignoresQuery: false }],
  ["error answers of another status", { errors: [...made().errors, { status: 503, heldSeconds: 5 }] }],
  ["the pages of others, where only a part is this site's", errors((one) => ({ ...one, page: "/theirs.html" })), { isWhole: false, rootDocument: undefined }],
])("%s: nothing is changed", (_, other, wish = {}) => {
  expect(planDistribution({ ...made(), ...other }, { ...WISHES, ...wish }, KNOWN).steps).toEqual([]);
}); // prettier-ignore

test("whatever stands, one pass makes all of it right and touches nothing that was right", async () => {
  const seconds = fc.nat(400);
  const error = fc.record({
    status: fc.constantFrom(400, 403, 404, 500),
    page: fc.constantFrom(undefined, "/404.html", "/x.html"),
    as: fc.constantFrom(undefined, 200, 404),
    heldSeconds: seconds,
  });
  const standing = fc.record({
    origin: fc.record({
      host: fc.constantFrom(ORIGIN.host, "other.test"),
      path: fc.constantFrom("", "/a"),
      access: fc.constantFrom("signed" as const, "plain" as const),
      protocol: fc.constantFrom("http" as const, "https" as const, "as-asked" as const),
    }),
    rootDocument: fc.constantFrom("", "index.html", "home.html"),
    errors: fc.uniqueArray(error, { selector: ({ status }) => status }),
    compresses: fc.boolean(),
    plainHttp: fc.constantFrom("open" as const, "leads" as const, "shut" as const),
    methods: fc.subarray(["GET", "HEAD", "OPTIONS", "PUT"], { minLength: 1 }),
    cache: fc.record({ query: fc.boolean(), cookies: fc.boolean(), headers: fc.subarray(["user-agent"]), compressed: fc.boolean(), minimumSeconds: seconds }),
    names: fc.subarray([WWW, "x.preview.pelican.test"]),
    certificate: fc.constantFrom(undefined, CERTIFICATE.reference, OLD.reference),
    isOn: fc.boolean(),
  }); // prettier-ignore
  await holds(
    fc.property(standing, (setup) => {
      const facts = { ...setup, id: "E1", domain: "d1", isDeployed: true };
      const plan = planDistribution(facts, WISHES, KNOWN);
      const after = { ...facts, ...plan.changes };
      expect(planDistribution(after, WISHES, KNOWN)).toEqual({ steps: [], byHand: [], changes: {} });
      expect(Object.keys(plan.changes).length > 0).toBe(plan.steps.length > 0);
      // Errors of other statuses stay, and names of others.
      const kept = setup.errors.filter(({ status, heldSeconds }) => status !== 403 && status !== 404 && heldSeconds <= 60);
      expect(after.errors).toEqual(expect.arrayContaining(kept));
      expect(after.names).toEqual(expect.arrayContaining(setup.names));
    }),
    { seeds: [7], numRuns: 300 },
  ); // prettier-ignore
});

test("what can't be known is left to a person, by its cause", () => {
  const fault = { code: "prefix", basePath: "/docs/", prefix: "" } as const;
  expect(planDistribution(undefined, { ...WISHES, origin: fault }, KNOWN)).toMatchObject({
    steps: [],
    byHand: [{ code: "origin", fault }],
  });
  const own = (said: string | undefined, listed: readonly CertificateFacts[] = KNOWN.certificates.value) =>
    chooseCertificate({ state: "set", value: listed }, { names: [WWW], said, region: "us-east-1", nowMs: NOW });
  expect(own(undefined, [OLD, OTHER])).toEqual({ fault: { code: "none" } });
  expect(own("arn:aws:acm:eu-west-1:0:certificate/a")).toMatchObject({ fault: { code: "elsewhere" } });
  expect(own("arn:aws:acm:us-east-1:0:certificate/b")).toMatchObject({ fault: { code: "not-found" } });
  expect(own(OLD.reference)).toMatchObject({ fault: { code: "expired" } });
  expect(own(OTHER.reference)).toMatchObject({ fault: { code: "other-names", missing: [WWW] } });
  expect(own("p", [{ ...CERTIFICATE, reference: "p", isIssued: false }])).toMatchObject({ fault: { code: "not-issued" } });
  const longer = { ...CERTIFICATE, reference: "arn:aws:acm:us-east-1:0:certificate/z", until: "2028-01-01T00:00:00Z" };
  expect(own(undefined, [CERTIFICATE, longer])).toEqual({ reference: longer.reference });
  const denied = { state: "denied", answer: "no" } as const;
  const wish = { names: [WWW], region: "us-east-1", nowMs: NOW };
  expect(chooseCertificate(denied, wish)).toEqual({ fault: { code: "may-not-look", answer: "no" } });
  expect(chooseCertificate(denied, { ...wish, said: "s" })).toEqual({ reference: "s" });
  // Without a certificate no name is given, and all else is.
  const plan = planDistribution({ ...made(), names: [], compresses: false }, WISHES, { ...KNOWN, certificates: { state: "unset" } });
  expect([plan.steps.map((one) => one.do), plan.byHand]).toEqual([["switch-compression-on"], [{ code: "certificate", names: [WWW], fault: { code: "none" } }]]);
}); // prettier-ignore

test.each([
  ["*.pelican.test", "www.pelican.test", true],
  ["*.pelican.test", "a.www.pelican.test", false],
  ["*.pelican.test", "pelican.test", false],
  ["WWW.pelican.test", "www.Pelican.test", true],
  ["*.pelican.test", "*.pelican.test", true],
  ["www.pelican.test", "*.pelican.test", false],
])("a certificate for %s and the name %s: %s", (pattern, name, isFor) => {
  expect(isForName(pattern, name)).toBe(isFor);
});

test("a function and a headers policy are given where there is room; what is another's stays, and is left to a person", () => {
  const means = { viewerFunction: "ours", headersPolicy: { id: "", name: "ours" } };
  const plan = (more: Partial<DistributionFacts>) => {
    const { steps, byHand, changes } = planDistribution({ ...made(), ...more }, { ...WISHES, means }, KNOWN);
    return [steps.map((step) => step.do), byHand.map(({ code }) => code), changes];
  };
  expect(plan({})).toEqual([["give-function", "give-headers-policy"], [], means]);
  expect(plan({ viewerFunction: "ours", headersPolicy: { id: "1", name: "ours" } })).toEqual([[], [], {}]);
  expect(plan({ viewerFunction: "theirs", headersPolicy: { id: "1", name: "theirs" } })).toEqual([[], ["function-taken", "policy-taken"], {}]);
  expect(planMeans({}, {})).toEqual({ steps: [], byHand: [], changes: {} });
  const [first] = planDistribution(undefined, { ...WISHES, means }, KNOWN).steps;
  expect(first).toMatchObject({ do: "make-distribution", setup: means });
}); // prettier-ignore

test("unknown addresses are the error's until the function leads them: nobody loses an answer meanwhile", () => {
  const [route, file] = [{ page: "/index.html", as: 200 }, { page: "/404.html", as: 404 }];
  const wishes = { ...WISHES, missing: route, missingFiles: file, means: { viewerFunction: "ours" } };
  const errorsOf = (one: { page: string; as: number }) => [403, 404].map((status) => ({ status, ...one, heldSeconds: 10 }));
  const plan = (errors: ReturnType<typeof errorsOf>, answersRoutes: boolean, viewerFunction = "ours") =>
    planDistribution({ ...made(), errors, answersRoutes, viewerFunction }, wishes, KNOWN).changes.errors;
  expect([plan(errorsOf(route), false), plan(errorsOf(file), false), plan(errorsOf(file), true)]).toEqual([undefined, undefined, undefined]);
  expect([plan(errorsOf(route), true), plan([], false), plan(errorsOf(file), true, "theirs")]).toEqual([errorsOf(file), errorsOf(route), errorsOf(route)]);
}); // prettier-ignore

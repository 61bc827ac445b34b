import { toBatches } from "./batches.ts";
import { toEdgeError } from "./failures.ts";

test.each<[string[], { patterns: number; wildcards: number }, string[][]]>([
  [[], { patterns: 2, wildcards: 1 }, []],
  [["/b", "/a*", "/a"], { patterns: 9, wildcards: 9 }, [["/b", "/a", "/a*"]]],
  [["/1", "/2", "/3", "/4", "/5"], { patterns: 2, wildcards: 1 }, [["/1", "/2"], ["/3", "/4"], ["/5"]]],
  [["/1*", "/2*", "/3*", "/4"], { patterns: 9, wildcards: 2 }, [["/4", "/1*", "/2*"], ["/3*"]]],
  [["/1*", "/2*", "/3"], { patterns: 9, wildcards: 1 }, [["/3", "/1*"], ["/2*"]]],
  // Where none may be in flight, one at a time is asked for all the same.
  [["/1*", "/2*"], { patterns: 9, wildcards: 0 }, [["/1*"], ["/2*"]]],
])("%j in batches of at most %j", (patterns, most, batches) => {
  expect(toBatches(patterns, most)).toEqual(batches);
}); // prettier-ignore

test.each<[string, number | undefined, object, boolean]>([
  ["CredentialsProviderError", undefined, { kind: "no-credentials" }, false],
  ["SignatureDoesNotMatch", 403, { kind: "credentials-refused", code: "SignatureDoesNotMatch" }, false],
  ["AccessDenied", 400, { kind: "denied" }, false],
  ["Whatever", 401, { kind: "denied" }, false],
  ["Whatever", 403, { kind: "denied" }, false],
  ["NoSuchDistribution", 404, { kind: "not-found", id: "E1" }, false],
  ["Whatever", 404, { kind: "not-found" }, false],
  ["TooManyInvalidationsInProgress", 400, { kind: "busy" }, false],
  ["InvalidArgument", 400, { kind: "other" }, false],
  ["ThrottlingException", 400, { kind: "other" }, true],
  ["Whatever", 429, { kind: "other" }, true],
  ["Whatever", 499, { kind: "other" }, false],
  ["Whatever", 500, { kind: "other" }, true],
  ["Whatever", undefined, { kind: "other" }, true],
])("%s with status %s", (name, httpStatusCode, failure, isTransient) => {
  const error = Object.assign(new Error("not today"), { name, $metadata: { httpStatusCode } });
  const read = toEdgeError(error, { name: "near", id: "E1" });
  const facts = { code: name, answer: "not today", ...(httpStatusCode === undefined ? {} : { status: httpStatusCode }) };
  expect([read.failure.edge, read.failure.failure, read.isTransient]).toEqual(["near", { ...facts, ...failure }, isTransient]);
}); // prettier-ignore

test("a failure that says nothing is told by its code, that of the system first", () => {
  const answerOf = (error: object): string | undefined =>
    (toEdgeError(error, { name: "near", id: "" }).failure.failure as { answer?: string }).answer;
  expect(answerOf({ name: "Whatever", message: "" })).toBe("Whatever");
  expect(answerOf({ name: "Whatever", message: "UnknownError" })).toBe("Whatever");
  expect(answerOf({ name: "Error", message: "", code: "ECONNREFUSED" })).toBe("ECONNREFUSED");
});

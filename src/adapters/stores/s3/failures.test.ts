import { isNotFound, toStoreError } from "./failures.ts";

const ACTION = { do: "write", key: "index.html" } as never;
const read = (error: object, region?: string) => toStoreError(error, ACTION, { region });

test.each([
  [301, "wrong-region"],
  [400, "other"],
  [401, "denied"],
  [403, "denied"],
  [404, "other"],
  [409, "conflict"],
  [412, "precondition"],
  [429, "throttled"],
  [499, "other"],
  [500, "server"],
  [501, "conditions-unsupported"],
  [502, "server"],
  [503, "throttled"],
  [undefined, "other"],
])("an answer %s whose code nobody knows is %s", (httpStatusCode, kind) => {
  const error = read({ name: "Whatever", message: "no", $metadata: { httpStatusCode } });
  expect(error).toMatchObject({ kind, message: "no" });
  expect(error.facts).toEqual({
    action: ACTION,
    code: "Whatever",
    ...(httpStatusCode === undefined ? {} : { status: httpStatusCode }),
    ...(kind === "wrong-region" ? { region: "" } : {}),
  });
});

test("the code counts before the status, and a broken connection before that", () => {
  const denied = { Code: "AccessDenied", name: "Error", message: "no", $metadata: { httpStatusCode: 500, requestId: "r1" } }; // prettier-ignore
  expect(read(denied)).toMatchObject({
    kind: "denied",
    facts: { status: 500, code: "AccessDenied", requestId: "r1" },
  });
  for (const [error, code] of [
    [{ name: "Error", code: "ECONNREFUSED", message: "" }, "ECONNREFUSED"],
    [{ name: "Error", message: "socket hang up" }, "socket hang up"],
    [{ name: "Whatever", message: "read ECONNRESET", $response: { statusCode: 200 } }, "ECONNRESET"],
    [{ name: "TimeoutError", message: "too late" }, "TimeoutError"],
  ] as const)
    expect(read(error)).toMatchObject({ kind: "unreachable", facts: { code } });
  expect(read({ name: "AbortError" }).facts.code).toBe("nothing, since it was stopped");
});

test("how long to wait is a number of seconds; a date is left to the back-off", () => {
  const after = (wait?: string) =>
    read({ name: "SlowDown", $response: { statusCode: 503, headers: wait ? { "retry-after": wait } : {} } });
  expect(after("7")).toMatchObject({ kind: "throttled", facts: { status: 503, retryAfterMs: 7000 } });
  expect(after("Fri, 27 Nov 2026 10:00:00 GMT").facts.retryAfterMs).toBe(0);
  expect("retryAfterMs" in after().facts).toBe(false);
});

test("the right region is the one that the answer names, in a header or in its words", () => {
  const wrong = { name: "AuthorizationHeaderMalformed", message: "wrong; expecting 'eu-sandbox-1'" };
  expect(read(wrong, "asked").facts.region).toBe("eu-sandbox-1");
  const headers = { "x-amz-bucket-region": "us-east-1" };
  expect(read({ ...wrong, $response: { headers } }, "asked").facts.region).toBe("us-east-1");
  expect(read({ name: "PermanentRedirect" }, "asked").facts.region).toBe("asked");
});

test("nothing there is told from no bucket at all", () => {
  expect(isNotFound({ name: "NotFound", $metadata: { httpStatusCode: 404 } })).toBe(true);
  expect(isNotFound({ name: "NoSuchBucket", $metadata: { httpStatusCode: 404 } })).toBe(false);
  expect(isNotFound({ name: "AccessDenied", $metadata: { httpStatusCode: 403 } })).toBe(false);
});

import fc from "fast-check";
import { judge, matches, readPolicy } from "./permissions.ts";
import { authenticate } from "./signature.ts";
import { holds } from "../../../test/support/seeds.ts";

test.each([
  '{"Statement":[null]}',
  '{"Statement":"*"}',
  '{"Statement":[{"Action":"s3:*"}]}',
  '{"Statement":[{"Effect":"Allow","Action":[1]}]}',
  '{"Statement":[{"Effect":"Allow","Principal":["*"]}]}',
  '{"Statement":[{"Effect":"Allow","Condition":{"StringLike":null}}]}',
  "[]",
  "null",
  "{",
  `{"Statement":[],"Id":"${"x".repeat(30_000)}"}`,
])("a policy that is none is refused when it is set: %s", (text) => {
  expect(() => readPolicy(text)).toThrow(expect.objectContaining({ code: "MalformedPolicy" }) as Error);
});

test("a policy that is one is read, and asked", () => {
  const text =
    '{"Statement":{"Effect":"Allow","Principal":"*","Action":"s3:Get*","Resource":"arn:aws:s3:::a/*"}}';
  const judged = ["a/b", "b/b"].map((name) =>
    judge(readPolicy(text), { action: "s3:GetObject", resource: `arn:aws:s3:::${name}` }),
  );
  expect(judged).toEqual(["allow", undefined]);
});

test("wildcards match as a regular expression does, and a pattern of stars takes no time", async () => {
  const letters = fc.string({ unit: fc.constantFrom("a", "b", "*", "?"), maxLength: 8 });
  const plain = fc.string({ unit: fc.constantFrom("a", "b"), maxLength: 8 });
  await holds(
    fc.property(letters, plain, (pattern, text) => {
      const expression = new RegExp(`^${pattern.replace(/\*/g, ".*").replace(/\?/g, ".")}$`);
      expect(matches(pattern, text)).toBe(expression.test(text));
    }),
    { numRuns: 2000, seeds: [6] },
  );
  expect(matches(`${"*a".repeat(5000)}b`, "a".repeat(10_000))).toBe(false);
});

test("a request whose date can't be read, or is another than that of its scope, is not let in", () => {
  const identity = { accessKeyId: "KEY", secretAccessKey: "s", arn: "arn" };
  const rules = { identities: [identity], region: "r", service: "s3", nowMs: Date.parse("2026-03-04T14:20:00Z") } as const;
  const ask = (date: string): unknown => {
    const authorization = `AWS4-HMAC-SHA256 Credential=KEY/20260304/r/s3/aws4_request, SignedHeaders=host, Signature=${"0".repeat(64)}`;
    try {
      return authenticate({ method: "GET", target: "/", headers: { authorization, "x-amz-date": date } }, rules);
    } catch (error) {
      return (error as { code: string }).code;
    }
  };
  expect(["20260304T142000Z", "20260304T100000Z", "20260304Tnonsense", "20260305T142000Z", ""].map(ask)).toEqual([
    "SignatureDoesNotMatch", // Of the signature itself, which is made up here.
    "RequestTimeTooSkewed",
    "RequestTimeTooSkewed",
    "SignatureDoesNotMatch",
    "SignatureDoesNotMatch",
  ]);
}); // prettier-ignore

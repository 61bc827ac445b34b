import { S3Removals } from "./removals.ts";
import type { WireRequest } from "./wire.ts";
import { childrenOf, parseXml, textOf } from "./xml.ts";

type Answer = (asked: WireRequest) => string | undefined;

/** Removals at a store that answers so, and what it was asked for: bulk deletes as their keys and ETags. */
function stand(answer: Answer) {
  const asked: string[] = [];
  const ask = async (request: WireRequest) => {
    const body = parseXml(Buffer.from((request.content?.body ?? []) as Uint8Array).toString());
    const single: [string, string | undefined][] = [[request.name ?? "", request.headers?.["if-match"]]];
    const all = body
      ? childrenOf(body, "Object").map((one) => [textOf(one, "Key"), textOf(one, "ETag")])
      : single;
    asked.push((body ? "bulk " : "") + all.map(([key, etag]) => (etag ? `${key}@${etag}` : key)).join());
    const root = parseXml(answer(request) ?? "");
    return Promise.resolve({ answer: {} as never, root });
  };
  let counted = 0;
  const settings = { bucket: "practice", prefix: "p/" } as ConstructorParameters<typeof S3Removals>[0];
  const removals = new S3Removals(settings, { ask }, () => (counted += 1));
  return { removals, asked, counted: () => counted };
}

const refuse = (name: string, httpStatusCode: number) => (): never => {
  throw Object.assign(new Error(name), { name, $metadata: { httpStatusCode } });
};
const toErrors = (...errors: readonly (readonly [string, string])[]): string =>
  `<DeleteResult>${errors.map(([key, code]) => `<Error><Key>${key}</Key><Code>${code}</Code></Error>`).join("")}</DeleteResult>`;
const EXPECTED = new Map([["a", "1"], ["b", "2"]]); // prettier-ignore

test("many go at once, a thousand to a request, each only while what is expected stands there", async () => {
  const many = Array.from({ length: 1001 }, (_, index) => String(index));
  const all = stand(() => undefined);
  expect(await all.removals.remove(many, undefined)).toEqual([]);
  expect([all.asked.length, all.counted(), all.asked[1]]).toEqual([2, 2, "p/1000"]);
  const errors = toErrors(["p/a", "PreconditionFailed"], ["p/b", "NoSuchKey"]);
  const some = stand(() => errors);
  expect(await some.removals.remove(["a", "b"], EXPECTED)).toEqual(["a"]);
  expect(some.asked).toEqual(["bulk p/a@1,p/b@2"]);
  // Nobody expected anything: then nothing can have been otherwise.
  await expect(stand(() => errors).removals.remove(["a", "b"], undefined)).rejects.toMatchObject({ kind: "precondition" }); // prettier-ignore
  const denied = stand(() => toErrors(["p/a", "AccessDenied"]));
  await expect(denied.removals.remove(["a", "b"], EXPECTED)).rejects.toMatchObject({ kind: "denied" });
});

test("a store without bulk deletes gets single ones from then on; one that denies them is not asked again", async () => {
  const { removals, asked } = stand(({ method }) =>
    method === "POST" ? refuse("MethodNotAllowed", 405)() : undefined,
  );
  expect(await removals.remove(["a", "b"], EXPECTED)).toEqual([]);
  expect(await removals.remove(["c", "d"], undefined)).toEqual([]);
  expect(asked).toEqual(["bulk p/a@1,p/b@2", "bulk p/a,p/b", "p/a", "p/b", "p/c", "p/d"]);
  const denied = stand(refuse("AccessDenied", 403));
  await expect(denied.removals.remove(["a", "b"], EXPECTED)).rejects.toMatchObject({ kind: "denied" });
  expect(denied.asked).toHaveLength(1);
});

test.each<[string, Answer, string[], readonly string[] | string]>([
  ["is gone already", refuse("NotFound", 404), ["p/a@1"], []],
  ["is another by now", refuse("PreconditionFailed", 412), ["p/a@1"], ["a"]],
  ["stands where conditions are unknown", ({ headers }) => (headers?.["if-match"] ? refuse("NotImplemented", 501)() : undefined), ["p/a@1", "p/a"], []],
  ["stands where conditions are strange", ({ headers }) => (headers?.["if-match"] ? refuse("InvalidArgument", 400)() : undefined), ["p/a@1", "p/a"], []],
  ["may not be removed", refuse("AccessDenied", 403), ["p/a@1"], "denied"],
  ["can't be removed at all", refuse("InvalidArgument", 400), ["p/a@1", "p/a"], "other"],
])("one that %s", async (_, answer, requests, end) => {
  const { removals, asked, counted } = stand(answer);
  const ended = await removals.remove(["a"], EXPECTED).catch((error: unknown) => (error as { kind: string }).kind);
  expect([ended, asked, counted()]).toEqual([end, requests, requests.length]);
}); // prettier-ignore

import type { S3Client } from "@aws-sdk/client-s3";
import { S3Removals } from "./removals.ts";

interface Asked {
  readonly Key?: string;
  readonly IfMatch?: string;
  readonly Delete?: { readonly Objects: readonly { readonly Key: string; readonly ETag?: string }[] };
}

/** Removals by a client that answers so, and what it was asked for: bulk deletes as their keys and ETags. */
function stand(answer: (asked: Asked) => unknown) {
  const asked: string[] = [];
  const send = async ({ input }: { input: Asked }) => {
    const all = input.Delete?.Objects ?? [{ Key: input.Key ?? "", ETag: input.IfMatch }];
    asked.push(
      (input.Delete ? "bulk " : "") + all.map(({ Key, ETag }) => (ETag ? `${Key}@${ETag}` : Key)).join(),
    );
    return Promise.resolve(answer(input) ?? {});
  };
  let counted = 0;
  const settings = { bucket: "practice", prefix: "p/" } as ConstructorParameters<typeof S3Removals>[0];
  const removals = new S3Removals(settings, { send } as unknown as S3Client, () => (counted += 1));
  return { removals, asked, counted: () => counted };
}

const refuse = (name: string, httpStatusCode: number) => (): never => {
  throw Object.assign(new Error(name), { name, $metadata: { httpStatusCode } });
};
const EXPECTED = new Map([["a", "1"], ["b", "2"]]); // prettier-ignore

test("many go at once, a thousand to a request, each only while what is expected stands there", async () => {
  const many = Array.from({ length: 1001 }, (_, index) => String(index));
  const all = stand(() => undefined);
  expect(await all.removals.remove(many, undefined)).toEqual([]);
  expect([all.asked.length, all.counted(), all.asked[1]]).toEqual([2, 2, "p/1000"]);
  const Errors = [{ Key: "p/a", Code: "PreconditionFailed" }, { Key: "p/b", Code: "NoSuchKey" }]; // prettier-ignore
  const some = stand(() => ({ Errors }));
  expect(await some.removals.remove(["a", "b"], EXPECTED)).toEqual(["a"]);
  expect(some.asked).toEqual(["bulk p/a@1,p/b@2"]);
  // Nobody expected anything: then nothing can have been otherwise.
  await expect(stand(() => ({ Errors })).removals.remove(["a", "b"], undefined)).rejects.toMatchObject({ kind: "precondition" }); // prettier-ignore
  const denied = stand(() => ({ Errors: [{ Key: "p/a", Code: "AccessDenied" }] }));
  await expect(denied.removals.remove(["a", "b"], EXPECTED)).rejects.toMatchObject({ kind: "denied" });
});

test("a store without bulk deletes gets single ones from then on; one that denies them is not asked again", async () => {
  const { removals, asked } = stand(({ Delete }) => (Delete ? refuse("MethodNotAllowed", 405)() : undefined));
  expect(await removals.remove(["a", "b"], EXPECTED)).toEqual([]);
  expect(await removals.remove(["c", "d"], undefined)).toEqual([]);
  expect(asked).toEqual(["bulk p/a@1,p/b@2", "bulk p/a,p/b", "p/a", "p/b", "p/c", "p/d"]);
  const denied = stand(refuse("AccessDenied", 403));
  await expect(denied.removals.remove(["a", "b"], EXPECTED)).rejects.toMatchObject({ kind: "denied" });
  expect(denied.asked).toHaveLength(1);
});

test.each<[string, (asked: Asked) => unknown, string[], readonly string[] | string]>([
  ["is gone already", refuse("NotFound", 404), ["p/a@1"], []],
  ["is another by now", refuse("PreconditionFailed", 412), ["p/a@1"], ["a"]],
  ["stands where conditions are unknown", ({ IfMatch }) => (IfMatch ? refuse("NotImplemented", 501)() : undefined), ["p/a@1", "p/a"], []],
  ["stands where conditions are strange", ({ IfMatch }) => (IfMatch ? refuse("InvalidArgument", 400)() : undefined), ["p/a@1", "p/a"], []],
  ["may not be removed", refuse("AccessDenied", 403), ["p/a@1"], "denied"],
  ["can't be removed at all", refuse("InvalidArgument", 400), ["p/a@1", "p/a"], "other"],
])("one that %s", async (_, answer, requests, end) => {
  const { removals, asked, counted } = stand(answer);
  const ended = await removals.remove(["a"], EXPECTED).catch((error: unknown) => (error as { kind: string }).kind);
  expect([ended, asked, counted()]).toEqual([end, requests, requests.length]);
}); // prettier-ignore

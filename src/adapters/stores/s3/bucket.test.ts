import { once } from "node:events";
import { createServer, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import { createS3Bucket } from "./bucket.ts";

/** What the store answers: a status, and the code of its error or the whole document. */
type Answer = readonly [status: number, said?: string];

const servers: Server[] = [];
beforeAll(() => {
  Object.assign(process.env, { AWS_ACCESS_KEY_ID: "a", AWS_SECRET_ACCESS_KEY: "s" });
});
afterAll(() => {
  for (const server of servers) server.close();
});

/** A bucket at a store that answers so, one request after another, and what it was asked. */
async function stand(region: string, ...answers: readonly Answer[]) {
  const asked: string[] = [];
  const server = createServer((request, response) => {
    let body = "";
    request.on("data", (chunk) => (body += String(chunk)));
    request.on("end", () => {
      const [status, said = ""] = answers[Math.min(asked.length, answers.length - 1)] as Answer;
      asked.push(`${request.method ?? ""} ${request.url ?? ""} ${body}`);
      const text = said.startsWith("<") || said === "" ? said : `<Error><Code>${said}</Code><Message>no</Message></Error>`;
      response.writeHead(status, { "content-type": "application/xml" }).end(request.method === "HEAD" ? "" : text);
    });
  });
  servers.push(server.listen(0, "127.0.0.1"));
  await once(server, "listening");
  const endpoint = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  const bucket = createS3Bucket({ bucket: "pelican", prefix: "", region, endpoint, addressing: "path" });
  return { bucket, asked };
} // prettier-ignore

test.each<[string, string, readonly Answer[], string, readonly string[]]>([
  ["in the usual region", "us-east-1", [[200]], "made", [""]],
  ["in another region", "eu-west-1", [[200]], "made", ["eu-west-1"]],
  ["at a store of one's own, which has one place", "eu-west-1", [[400, "InvalidLocationConstraint"], [200]], "made", ["eu-west-1", ""]],
  ["where it is ours already", "eu-west-1", [[409, "BucketAlreadyOwnedByYou"]], "made", ["eu-west-1"]],
  ["under a name that is taken", "us-east-1", [[409, "BucketAlreadyExists"]], "bucket-taken", [""]],
  ["without the right", "us-east-1", [[403, "AccessDenied"]], "denied", [""]],
])("a bucket is made %s", async (_, region, answers, outcome, places) => {
  const { bucket, asked } = await stand(region, ...answers);
  const said = await bucket.create().then(
    () => "made",
    (error: unknown) => (error as { kind: string }).kind,
  );
  const named = asked.map((one) => /<LocationConstraint>(.*)<\/LocationConstraint>/.exec(one)?.[1] ?? "");
  expect([said, named]).toEqual([outcome, places]);
}); // prettier-ignore

test.each<[string, Answer, unknown]>([
  ["none are set", [404, "NoSuchTagSet"], { state: "unset" }],
  ["the list is empty", [200, "<Tagging><TagSet/></Tagging>"], { state: "unset" }],
  ["one is set", [200, "<Tagging><TagSet><Tag><Key>team</Key><Value>web</Value></Tag></TagSet></Tagging>"], { state: "set", value: { team: "web" } }],
  ["the right is missing", [403, "AccessDenied"], { state: "denied", answer: "403 AccessDenied" }],
  ["the store does not know tags", [501, "NotImplemented"], { state: "unsupported", answer: "501 NotImplemented" }],
  ["it does not know the request", [405, "MethodNotAllowed"], { state: "unsupported", answer: "405 MethodNotAllowed" }],
  ["it says so in its own way", [400, "Whatever"], { state: "unsupported", answer: "400 Whatever" }],
])("tags, where %s", async (_, answer, expected) => {
  expect(await (await stand("us-east-1", answer)).bucket.readTags()).toEqual(expected);
}); // prettier-ignore

test("what a store can't do is told from what it may not, by its status, whatever it calls it", async () => {
  const kindOf = async (...answer: Answer): Promise<unknown> =>
    (await stand("us-east-1", answer)).bucket.keepVersions().catch((error: unknown) => (error as { kind: string }).kind);
  expect([await kindOf(501, "Nothing"), await kindOf(405, "Nothing"), await kindOf(400, "NotImplemented"), await kindOf(403, "AccessDenied")]).toEqual(["unsupported", "unsupported", "unsupported", "denied"]); // prettier-ignore
  expect(await kindOf(200)).toBeUndefined();
}); // prettier-ignore

test("each of the four switches of a public block is read and written under its own name", async () => {
  const names = { newLists: "BlockPublicAcls", lists: "IgnorePublicAcls", newPolicies: "BlockPublicPolicy", policies: "RestrictPublicBuckets" };
  const none = { newLists: false, lists: false, newPolicies: false, policies: false };
  for (const [own, name] of Object.entries(names)) {
    const text = `<PublicAccessBlockConfiguration><${name}>true</${name}></PublicAccessBlockConfiguration>`;
    const { bucket, asked } = await stand("us-east-1", [200, text]);
    expect(await bucket.readPublicBlock()).toEqual({ state: "set", value: { ...none, [own]: true } });
    await bucket.writePublicBlock({ ...none, [own]: true });
    expect([own, asked[1]?.match(/<\w+>true/g)]).toEqual([own, [`<${name}>true`]]);
  }
}); // prettier-ignore

test("a store that answers with the bucket's list does not know the public block", async () => {
  const { bucket } = await stand("us-east-1", [
    200,
    "<ListBucketResult><Name>pelican</Name></ListBucketResult>",
  ]);
  expect(await bucket.readPublicBlock()).toMatchObject({ state: "unsupported" });
});

test("versions are kept, kept no more, or were never; a bucket is there or not, and who may not look is told", async () => {
  const versioningOf = async (status: string) => {
    const text = `<VersioningConfiguration>${status && `<Status>${status}</Status>`}</VersioningConfiguration>`;
    return (await stand("us-east-1", [200, text])).bucket.readVersioning();
  };
  expect([await versioningOf("Enabled"), await versioningOf("Suspended"), await versioningOf("")]).toEqual([{ state: "set", value: true }, { state: "set", value: false }, { state: "unset" }]); // prettier-ignore
  const isThere = async (status: number): Promise<unknown> =>
    (await stand("us-east-1", [status])).bucket.isThere().catch((error: unknown) => (error as { kind: string }).kind);
  expect([await isThere(200), await isThere(404), await isThere(403)]).toEqual([true, false, "denied"]);
  const policy = { Version: "2012-10-17", Statement: [] } as never;
  const { bucket, asked } = await stand("us-east-1", [204]);
  await bucket.writePolicy(policy);
  await bucket.writePolicy(undefined);
  expect(asked.map((one) => one.split(" ")[0])).toEqual(["PUT", "DELETE"]);
}); // prettier-ignore

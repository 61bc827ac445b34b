import { startFoulServer } from "../../../../test/support/foul-server.ts";
import { createS3Store } from "./s3-store.ts";

beforeAll(() => {
  Object.assign(process.env, { AWS_ACCESS_KEY_ID: "a", AWS_SECRET_ACCESS_KEY: "s" });
});

test("a store that can't copy in parts is asked for it once, and gets plain copies from then on", async () => {
  const asked: string[] = [];
  const endpoint = await startFoulServer((request, response) => {
    const { method = "", url = "" } = request;
    asked.push(`${method} ${url.replace(/\?x-id=.*|=$/, "")}`);
    request.resume();
    const isUpload = method === "POST";
    const body = isUpload
      ? "<Error><Code>MethodNotAllowed</Code><Message>no</Message></Error>"
      : "<CopyObjectResult><ETag>e</ETag></CopyObjectResult>";
    response.writeHead(isUpload ? 405 : 200).end(body);
  });
  const store = createS3Store({ bucket: "practice", prefix: "", region: "r", endpoint, addressing: "path" }, () => undefined); // prettier-ignore
  for (const name of ["a.js", "b.js"])
    expect(await store.copy({ key: name, etag: "old", size: 3, freshEtag: true }, name, {})).toEqual({ etag: "e" });
  store.close();
  expect(asked).toEqual(["POST /practice/a.js?uploads", "PUT /practice/a.js", "PUT /practice/b.js"]);
}); // prettier-ignore

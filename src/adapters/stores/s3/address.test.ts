import { encodeKey, resolveAddress } from "./address.ts";
import type { S3Settings } from "./client.ts";

const find = async (settings: Partial<S3Settings>): Promise<string> => {
  const all: S3Settings = { bucket: "practice", prefix: "", addressing: "path", ...settings };
  const { protocol, hostname, port, path, region, service } = await resolveAddress(all);
  return `${service} ${region} ${protocol}//${hostname}${port === undefined ? "" : `:${port}`}${path}`;
};

test.each<[string, Partial<S3Settings>, string]>([
  ["a path", { endpoint: "http://127.0.0.1:8450" }, "s3 us-east-1 http://127.0.0.1:8450/practice"],
  ["a path below another", { endpoint: "https://store.example/base/", region: "r" }, "s3 r https://store.example/base/practice"],
  ["a host", { endpoint: "https://store.example", addressing: "host" }, "s3 us-east-1 https://practice.store.example"],
  ["a number is no host", { endpoint: "http://[::1]:80", addressing: "host" }, "s3 us-east-1 http://[::1]/practice"],
  ["dots in a certificate", { endpoint: "https://store.example", addressing: "host", bucket: "a.b" }, "s3 us-east-1 https://store.example/a.b"],
  ["dots without one", { endpoint: "http://store.example", addressing: "host", bucket: "a.b" }, "s3 us-east-1 http://a.b.store.example"],
  ["capitals", { endpoint: "http://store.example", addressing: "host", bucket: "Ab_c" }, "s3 us-east-1 http://store.example/Ab_c"],
])("where requests go: %s", async (_, settings, address) => {
  expect(await find(settings)).toBe(address);
}); // prettier-ignore

test("without an address the storage SDK knows it, from the region, an access point's name or the environment", async () => {
  expect(await find({ region: "eu-central-1" })).toMatch(/^s3 eu-central-1 https:\/\/s3\.eu-central-1\.[^/]+\/practice$/);
  expect(await find({ region: "eu-central-1", addressing: "host" })).toMatch(/^s3 eu-central-1 https:\/\/practice\.s3\.eu-central-1\.[^/]+$/);
  const bucket = "arn:aws:s3:eu-west-1:123456789012:accesspoint/ferries";
  expect(await find({ region: "eu-west-1", addressing: "host", bucket })).toMatch(/^s3 eu-west-1 https:\/\/ferries-123456789012\.s3-accesspoint\./);
  process.env.AWS_ENDPOINT_URL_S3 = "http://127.0.0.1:9";
  try {
    expect(await find({ region: "eu-central-1" })).toBe("s3 eu-central-1 http://127.0.0.1:9/practice");
  } finally {
    delete process.env.AWS_ENDPOINT_URL_S3;
  }
}); // prettier-ignore

test("a bucket whose requests are signed in another way says so", async () => {
  const bucket = "arn:aws:s3::123456789012:accesspoint/mfzwi23gnjvgw.mrap";
  const settings = { region: "eu-central-1", addressing: "host", bucket } as const;
  await expect(find(settings)).rejects.toMatchObject({ kind: "unsupported", facts: { code: "sigv4a" } });
});

test("a key is written as signatures want it", () => {
  expect(encodeKey("a b/!'()*~-_./é/+&=?#%")).toBe("a%20b/%21%27%28%29%2A~-_./%C3%A9/%2B%26%3D%3F%23%25");
});

// The least that any program must do for the same work, each as a program of its own: node bench/floors.mjs NAME …
import { closeSync, lstatSync, openSync, readdirSync, readFileSync, readSync } from "node:fs";
import { Agent, request } from "node:http";
import { createHash, createHmac, hash } from "node:crypto";
import { availableParallelism } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { isMainThread, Worker, workerData } from "node:worker_threads";

const [name, ...words] = process.argv.slice(2);

/** Every file with one look at each. */
function walk(folder) {
  const files = [];
  const visit = (below) => {
    for (const entry of readdirSync(join(folder, below), { withFileTypes: true })) {
      const path = below === "" ? entry.name : `${below}/${entry.name}`;
      if (entry.isDirectory()) visit(path);
      else {
        lstatSync(join(folder, path), { bigint: true });
        files.push(path);
      }
    }
  };
  visit("");
  return files;
}

const read = (folder) => walk(folder).map((path) => hash("sha256", readFileSync(join(folder, path))));

/** Every file through one buffer a thread, as many threads as cores. */
async function hashLarge(folder) {
  const files = walk(folder).map((path) => join(folder, path));
  const count = availableParallelism();
  const shares = Array.from({ length: count }, (_, share) =>
    files.filter((_file, at) => at % count === share),
  );
  const threads = shares
    .slice(1)
    .map((workerData) => new Worker(fileURLToPath(import.meta.url), { workerData }));
  const ended = threads.map((thread) => new Promise((done) => thread.once("exit", done)));
  hashThrough(shares[0]);
  await Promise.all(ended);
}

function hashThrough(files) {
  const buffer = Buffer.allocUnsafeSlow(1024 * 1024);
  for (const path of files) {
    const file = openSync(path, "r");
    const sum = createHash("sha256");
    for (let count = readSync(file, buffer); count > 0; count = readSync(file, buffer))
      sum.update(buffer.subarray(0, count));
    sum.digest("hex");
    closeSync(file);
  }
}

/** The storage SDK loaded, all pages of the list, and two reads. */
async function list(endpoint, bucket, prefix) {
  const { S3Client, ListObjectsV2Command, GetObjectCommand } = await import("@aws-sdk/client-s3");
  const client = new S3Client({ endpoint, region: "eu-sandbox-1", forcePathStyle: true });
  let token;
  let last;
  do {
    const page = await client.send(
      new ListObjectsV2Command({ Bucket: bucket, Prefix: prefix, ContinuationToken: token }),
    );
    last = page.Contents.at(-1).Key;
    token = page.NextContinuationToken;
  } while (token !== undefined);
  for (let time = 0; time < 2; time++)
    await (
      await client.send(new GetObjectCommand({ Bucket: bucket, Key: last }))
    ).Body.transformToByteArray();
}

/** No floor: removes what one left behind. */
async function forget(endpoint, bucket, prefix) {
  const { S3Client, ListObjectsV2Command, DeleteObjectsCommand } = await import("@aws-sdk/client-s3");
  const client = new S3Client({ endpoint, region: "eu-sandbox-1", forcePathStyle: true });
  for (;;) {
    const { Contents = [] } = await client.send(new ListObjectsV2Command({ Bucket: bucket, Prefix: prefix }));
    if (Contents.length === 0) return;
    const Objects = Contents.map(({ Key }) => ({ Key }));
    await client.send(new DeleteObjectsCommand({ Bucket: bucket, Delete: { Objects, Quiet: true } }));
  }
}

class Sum {
  constructor(secret) {
    this.sum = secret === undefined ? createHash("sha256") : createHmac("sha256", secret);
  }
  update(data) {
    this.sum.update(data);
  }
  async digest() {
    return this.sum.digest();
  }
}

/** Each file read, hashed and put by a signed request over node:http, then as many copies. */
async function send(...[folder, endpoint, bucket, prefix, copies, width]) {
  const { SignatureV4 } = await import("@smithy/signature-v4");
  const credentials = {
    accessKeyId: process.env.AWS_ACCESS_KEY_ID,
    secretAccessKey: process.env.AWS_SECRET_ACCESS_KEY,
  };
  const signer = new SignatureV4({
    ...{ credentials, region: "eu-sandbox-1", service: "s3", sha256: Sum, uriEscapePath: false },
  });
  const { hostname, port, host } = new URL(endpoint);
  const agent = new Agent({ keepAlive: true });
  const put = async (key, headers, body) => {
    const path = `/${bucket}/${prefix}${key}`;
    const sum = hash("sha256", body);
    const signed = await signer.sign({
      ...{ method: "PUT", protocol: "http:", hostname, port, path, query: {} },
      headers: { host, "x-amz-content-sha256": sum, "content-length": String(body.length), ...headers },
    });
    await new Promise((done, fail) => {
      const asked = request(
        { agent, hostname, port, path, method: "PUT", headers: signed.headers },
        (answer) => {
          let text = "";
          answer.setEncoding("utf8").on("data", (chunk) => (text += chunk));
          answer.once("end", () => {
            if (answer.statusCode === 200) done();
            else fail(new Error(`status ${answer.statusCode} ${text}`));
          });
        },
      );
      asked.once("error", fail).end(body);
    });
  };
  const files = walk(folder).filter((path) => /^[\w./-]+$/.test(path));
  const work = files.map((path) => () => put(path, {}, readFileSync(join(folder, path))));
  for (const path of files.slice(0, Number(copies)))
    work.push(() =>
      put(`copy/${path}`, { "x-amz-copy-source": `${bucket}/${prefix}${path}` }, Buffer.alloc(0)),
    );
  // In order, so that what is copied stands there.
  const waiting = work.values();
  await Promise.all(
    Array.from({ length: Number(width) }, async () => {
      for (const step of waiting) await step();
    }),
  );
  process.stdout.write(JSON.stringify({ requests: work.length }));
}

const FLOORS = {
  walk,
  read,
  hashLarge,
  list,
  unchanged: async (folder, ...store) => (walk(folder), list(...store)),
  send,
  forget,
};
if (!isMainThread) hashThrough(workerData);
else await FLOORS[name](...words);

import { once } from "node:events";
import { createServer } from "node:http";
import { createServer as createSecureServer, type ServerOptions } from "node:https";
import type { AddressInfo } from "node:net";
import { join } from "node:path";
import { generate } from "selfsigned";
import { TLS_FAULTS, type TlsFault } from "../../src/core/model/tls-fault.ts";
import { wordsOfTls } from "../../src/words/tls.ts";
import { temporaryFolder, writeFiles } from "../support/builds.ts";
import { Project } from "../support/program.ts";
import { makeSite } from "../support/small-site.ts";

const BUILDS = makeSite();

const closing: { close: () => void }[] = [];
afterEach(() => {
  for (const one of closing.splice(0)) one.close();
});

const DAY_MS = 86_400_000;
type Pair = Awaited<ReturnType<typeof generate>>;

/** A certificate; of an issuer, or one that signs itself. */
const makeCertificate = (name: string, [from, until]: readonly [number, number], ca?: Pair): Promise<Pair> =>
  generate([{ name: "commonName", value: name }], {
    keySize: 2048,
    notBeforeDate: new Date(Date.now() + from * DAY_MS),
    notAfterDate: new Date(Date.now() + until * DAY_MS),
    extensions: [
      { name: "basicConstraints", cA: name === "issuer" },
      { name: "subjectAltName", altNames: [{ type: 2, value: name }] },
    ],
    ...(ca && { ca: { key: ca.private, cert: ca.cert } }),
  });

/** A server for each way in which no safe connection comes about. @returns ports, and a file with the issuer */
async function startServers() {
  const issuer = await makeCertificate("issuer", [-1, 9]);
  const good = await makeCertificate("localhost", [-1, 9], issuer);
  const old = { minVersion: "TLSv1", maxVersion: "TLSv1.1", ciphers: "DEFAULT@SECLEVEL=0" } as const;
  const servers: [TlsFault, Pair, ServerOptions?][] = [
    ["expired", await makeCertificate("localhost", [-9, -1], issuer)],
    ["not-yet", await makeCertificate("localhost", [2, 9], issuer)],
    ["other-name", await makeCertificate("elsewhere.test", [-1, 9], issuer)],
    ["self-signed", await makeCertificate("localhost", [-1, 9])],
    ["unknown-issuer", good],
    ["old-protocol", good, old],
  ];
  const open = [
    ...servers.map(([fault, { private: key, cert }, more]) => ({ fault, server: createSecureServer({ key, cert, ...more }) })), // prettier-ignore
    { fault: "no-tls" as TlsFault, server: createServer((_, answer) => answer.end()) },
  ];
  const ports: [TlsFault, number, () => number][] = [];
  for (const { fault, server } of open) {
    let connections = 0;
    server.on("connection", () => (connections += 1));
    server.listen(0, "127.0.0.1");
    closing.push(server);
    await once(server, "listening");
    ports.push([fault, (server.address() as AddressInfo).port, () => connections]);
  }
  const folder = writeFiles(temporaryFolder("issuer"), { "issuer.pem": issuer.cert });
  return { ports, trusted: { NODE_EXTRA_CA_CERTS: join(folder, "issuer.pem") } };
}

test("why no safe connection comes about is told apart, with what mends it, and not tried again: in deliveries, verify and checkup", async () => {
  const { ports, trusted } = await startServers();
  const folder = temporaryFolder("root");
  const build = `${BUILDS}/1`;
  const told: unknown[] = [];
  for (const [fault, port, countConnections] of ports) {
    const { why, mend } = wordsOfTls(fault);
    const at = `https://localhost:${port}`;
    const settings = `site: Pelican Sound Ferries\nbuild: { folder: "${build}" }\ndestinations:\n  live: { url: "${at}", `;
    const store = `store: { kind: s3, bucket: b, region: eu-1, endpoint: "${at}" } }\n`;
    const project = new Project(settings + store, { accessKeyId: "anybody", secretAccessKey: "anything" });
    writeFiles(project.folder, {
      "folder.yaml": `${settings}store: { kind: folder, folder: "${folder}" }, edge: { kind: purge, url: "${at}" } }\n`,
    });
    const environment = fault === "unknown-issuer" ? {} : trusted;
    const failed = await project.run(["deliver"], environment);
    // Two requests are made side by side, and each once.
    const isOnce = countConnections() <= 2;
    const checked = await project.run(["checkup", "--format", "json"], environment);
    // The edge is told apart, too; what stands there then is verified again and again.
    if (told.length === 0) {
      const { stderr } = await project.run(["deliver", "--settings", "folder.yaml"], environment);
      expect(stderr).toContain(`the edge "purge" has not confirmed: ${at}: there is no safe connection: ${why} (${mend})`); // prettier-ignore
    }
    const verified = await project.run(["verify", "--settings", "folder.yaml"], environment);
    const { links } = JSON.parse(checked.stdout) as {
      links: { link: string; cause?: string; why?: string }[];
    };
    told.push(fault);
    expect([fault, failed.exit, failed.stderr, isOnce]).toEqual([fault, 1, `failed: could not list the bucket: there is no safe connection to ${at}: ${why}\n  ${mend}. Nothing was written\n`, true]); // prettier-ignore
    expect([fault, links.find(({ link }) => link === "store")]).toEqual([fault, expect.objectContaining({ cause: "store-tls", why, mend })]); // prettier-ignore
    expect([fault, links.find(({ link }) => link === "certificate")?.cause]).toEqual([fault, CERTIFICATE[fault] ?? "certificate-untrusted"]); // prettier-ignore
    expect([fault, verified.exit, verified.stdout.replace(/\s+/g, " ")]).toEqual([fault, 5, expect.stringContaining(`there is no safe connection to the public address: ${why}`)]); // prettier-ignore
  }
  expect(told).toEqual(TLS_FAULTS.filter((fault) => fault !== "revoked" && fault !== "other"));
});

const CERTIFICATE: Partial<Record<TlsFault, string>> = {
  expired: "certificate-expired",
  "other-name": "certificate-other-name",
  "old-protocol": "tls-too-old",
  "no-tls": "no-tls",
};

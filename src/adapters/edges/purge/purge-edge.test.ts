import { once } from "node:events";
import { createServer, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import { BELIEVED } from "../../../../test/support/edges.ts";
import type { ClearingWay } from "../../../core/model/edge.ts";
import { createNodeClient } from "./purge-client.ts";
import { makeUnique, toBanExpression, toExactExpression } from "./patterns.ts";
import { createPurgeEdge } from "./purge-edge.ts";

/** A cache that notes what it is asked. */
async function openCache(asked: string[]): Promise<{ server: Server; node: string }> {
  const server = createServer((request, response) => {
    const { method, url, headers } = request;
    asked.push([method, url, headers["accept-encoding"] ?? "-", headers["x-ban-url"] ?? ""].join(" ").trim());
    response.writeHead(404, { "content-length": "0" }).end();
  });
  server.listen(0, "127.0.0.1");
  await once(server, "listening");
  return { server, node: `http://127.0.0.1:${(server.address() as AddressInfo).port}` };
}

test.each<[ClearingWay, string[]]>([
  ["once", ["PURGE /a -"]],
  ["each", ["PURGE /a br", "PURGE /a -"]],
  ["refetched", ["GET /a br", "PURGE /a -", "PURGE /a br", "GET /a -", "PURGE /a br", "PURGE /a -"]],
])("a copy is cleared %s: with these requests, and no others", async (way, expected) => {
  const asked: string[] = [];
  const { server, node } = await openCache(asked);
  const names = { name: "near", identity: "near", confirmation: BELIEVED };
  const more = { header: "x-purge-token", patterns: "none", encodings: ["br", ""] } as const;
  const edge = createPurgeEdge({ ...names, ...more, nodes: [node], host: "www.pelicansound.example" });
  await edge.forget({ patterns: ["/a"], run: "run", ways: new Map([[node, way]]) });
  expect(asked).toEqual(expected);
  edge.close();
  server.closeAllConnections();
  server.close();
});

test("a ban that is told apart from others fits what it is for, and nothing else", () => {
  const fits = (expression: string, address: string): boolean =>
    new RegExp(makeUnique(expression, "20260101T000000Z-1a2b3c4d-1")).test(address);
  const tree = toBanExpression("/a?*");
  expect(["/a?x", "/a?", "/a", "/b/a?x"].map((address) => fits(tree, address))).toEqual([true, true, false, false]);
  const exact = toExactExpression("/b.html");
  expect(["/b.html", "/b.html?x", "/b.htm", "/b-html"].map((address) => fits(exact, address))).toEqual([true, true, false, false]);
}); // prettier-ignore

test("a purge that waits for the fetch under way is waited for, as long as that may take", async () => {
  let release = (): void => undefined;
  const server = createServer((_, response) => {
    release = () => response.writeHead(200).end();
  });
  server.listen(0, "127.0.0.1");
  await once(server, "listening");
  const node = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  const request = { method: "PURGE", node, path: "/", headers: {} } as const;
  await expect(createNodeClient(0.05).ask(request)).rejects.toThrow("no answer within 0.05 s");
  const patient = createNodeClient(30);
  const asked = patient.ask(request);
  await once(server, "request");
  release();
  expect((await asked).status).toBe(200);
  patient.close();
  server.closeAllConnections();
  server.close();
});

import { once } from "node:events";
import { createServer, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import { STILL } from "../../../../test/support/memory-build.ts";
import { createPurgeEdge, type PurgeSettings } from "./purge-edge.ts";

/** A cache that holds one address, and into which a fetch of before the purge comes home while the purge waits. */
async function openCache(): Promise<{
  readonly server: Server;
  readonly settings: PurgeSettings;
  held: () => boolean;
  comeHome: () => void;
}> {
  let isHeld = true;
  const server = createServer((request, response) => {
    const answer = isHeld ? 200 : 404;
    if (request.method === "PURGE") isHeld = false;
    response.writeHead(answer, { "content-length": "0" }).end();
  });
  server.listen(0, "127.0.0.1");
  await once(server, "listening");
  const node = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  return {
    server,
    held: () => isHeld,
    comeHome: () => {
      isHeld = true;
    },
    settings: {
      ...{
        name: "near",
        nodes: [node],
        host: "www.pelicansound.example",
        header: "x-purge-token",
        settle: 2,
      },
      ...{ patterns: "none", encodings: ["gzip"] },
    },
  };
}

test("what a fetch under way brings home after the first purge goes with the second, after the settle", async () => {
  const cache = await openCache();
  const slept: number[] = [];
  const clock = {
    ...STILL,
    sleep: (ms: number) => {
      slept.push(ms);
      cache.comeHome();
      return Promise.resolve();
    },
  };
  const edge = createPurgeEdge(cache.settings, clock);
  await edge.invalidate({ patterns: ["/news/"], nameBatch: () => "batch" });
  expect([slept, cache.held()]).toEqual([[2000], false]);
  edge.close();
  cache.server.closeAllConnections();
  cache.server.close();
});

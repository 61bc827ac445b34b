import * as z from "zod";
import {
  duration,
  headerName,
  headerValue,
  hostName,
  httpMethod,
  httpUrl,
  region,
  requestUrl,
  text,
  wait,
} from "./texts.ts";
import { CARRIED, findHeaderMistake } from "./edge-headers.ts";
import { parseBytes, SIZE } from "./units.ts";

const size = z.string().regex(SIZE, "a size such as 64KB or 5MB").transform(parseBytes);
const ADDRESSES = /^[1-9]\d{0,8} addresses$/;
const edgeCommon = {
  name: text
    .optional()
    .describe("under this it is written down what it owes; not said: under its id or its addresses"),
  minimumFreshness: duration
    .optional()
    .describe("how long it holds at least, whatever responses say; 0s: it keeps to what they say"),
  holdsFor: duration.optional().describe("how long it holds a response that says nothing of its freshness"),
  query: z
    .enum(["ignored", "keyed"])
    .optional()
    .describe("whether it holds /news/?a=1 apart from /news/; not said: it is taken to do so"),
  negative: duration.optional().describe("how long it holds 'not found'; 0s: not at all"),
  settle: wait(0, 3600, "a pause is 1h at most")
    .default(2)
    .describe("the pause between the first and the second time that it is asked"),
  longestFetch: wait(0, 3600, "a fetch takes 1h at most")
    .default(20)
    .describe("how long it waits for the store at most: nothing counts as confirmed before"),
  confirm: z
    .union([
      z.enum(["all", "off"]),
      z.string().regex(ADDRESSES, "all, off, or a number such as 2000 addresses"),
    ])
    .optional()
    .describe("how much is read back of what it was asked to forget; not said: as much as a minute allows"),
};
/** Headers of each answer that an edge sets; what objects carry themselves is said at `headers`. */
const edgeHeaders = z
  .record(headerName, headerValue)
  .default({})
  .superRefine((set, context) => {
    for (const [name, value] of Object.entries(set)) {
      const message = CARRIED.test(name)
        ? `objects carry ${name} themselves: say it in headers`
        : findHeaderMistake(name, value);
      if (message !== undefined) context.addIssue({ code: "custom", path: [name], message });
    }
  });
const distributionEdge = z.strictObject({
  kind: z.literal("distribution").describe("takes batches of path patterns over a REST and XML interface"),
  id: z
    .string()
    .regex(/^[\w-]{1,128}$/, "the id of a distribution")
    .optional()
    .describe("not said: there is none yet, and provision makes it and writes its id here"),
  certificate: text
    .optional()
    .describe("the reference of the certificate for its names; not said: provision looks for one"),
  function: z
    .string()
    .regex(/^[\w-]{1,64}$/, "the name of a function")
    .optional()
    .describe(
      "the function that carries redirects and finds pages; not said: provision makes one where it is needed",
    ),
  headers: edgeHeaders.describe("headers that every answer gets, and that objects can't carry"),
  headersPolicy: z
    .string()
    .regex(/^[\w-]{1,128}$/, "the id of a policy")
    .optional()
    .describe("the policy that sets these headers; not said: provision makes one where there are any"),
  url: httpUrl.optional().describe("where it answers itself, behind another edge"),
  endpoint: httpUrl.optional().describe("where its interface is; not said: the service's own address"),
  region: region.default("us-east-1").describe("the region that requests to its interface are signed for"),
  profile: text
    .optional()
    .describe("the shared profile with its credentials; not said: the environment, then the default profile"),
  patterns: z
    .int()
    .min(1)
    .max(1_000_000)
    .default(3000)
    .describe("how many patterns may be in flight at the same time"),
  wildcards: z.int().min(0).max(10_000).default(15).describe("how many of them may be wildcards"),
  wildcard: z
    .enum(["prefix", "segment", "none"])
    .default("prefix")
    .describe("what its * may stand for: anything, whole segments (/news/*), or nothing at all"),
  worth: size.default(64_000).describe("so many bytes of correct copies may be dropped to spare one pattern"),
  confirmWithin: wait(1, 86_400, "it is waited for between 1s and 1d")
    .default(900)
    .describe("how long a delivery waits for it to confirm"),
  ...edgeCommon,
});
const purgeEdge = z.strictObject({
  kind: z.literal("purge").describe("a cache that takes HTTP PURGE, one address at a time"),
  url: httpUrl.optional().describe("where the cache itself answers; not said: at the destination's url"),
  nodes: z.array(httpUrl).min(1).optional().describe("its nodes; each is asked for every address"),
  host: hostName
    .optional()
    .describe("the public name that each purge carries; not said: that of the destination's url"),
  token: headerValue
    .min(1, "some text")
    .optional()
    .describe("the secret that lets a purge in; take it from a variable: ${EDGE_TOKEN}"),
  header: headerName.default("X-Purge-Token").describe("the header that the token is sent in"),
  patterns: z
    .enum(["none", "path", "ban"])
    .default("none")
    .describe("whether it takes wildcards: PURGE /news/* (path), or BAN with a regular expression (ban)"),
  encodings: z
    .array(headerValue)
    .max(100)
    .optional()
    .describe(
      "all values of Accept-Encoding under which it keeps a copy of its own; []: it keeps one copy for all",
    ),
  ...edgeCommon,
});
const scalars = z.record(text, z.union([z.string(), z.number(), z.boolean()]));
const requestEdge = z
  .strictObject({
    kind: z.literal("request").describe("a hosted edge with an HTTP interface of its own"),
    endpoint: requestUrl.describe("where it is asked to forget addresses"),
    method: httpMethod.default("POST").describe("the HTTP method of these requests"),
    headers: z
      .record(headerName, headerValue)
      .default({})
      .describe("headers of every request; a token comes from a variable: ${EDGE_TOKEN}"),
    url: httpUrl.optional().describe("where it answers itself, behind another edge"),
    by: z
      .enum(["json", "form", "endpoint"])
      .default("json")
      .describe("where addresses go: a list in JSON, fields of a form, or {address} in the endpoint"),
    under: text.default("urls").describe("the name of that list, or of the fields"),
    as: z.enum(["url", "host", "path"]).default("url").describe("how an address is written"),
    besides: scalars.default({}).describe("what goes along with every request"),
    most: z.int().min(1).max(100_000).default(30).describe("addresses that one request may hold"),
    pace: z.number().min(0.01).max(1000).default(5).describe("requests per second"),
    done: z
      .strictObject({
        status: z
          .array(z.int().min(100).max(599))
          .min(1)
          .default([200, 201, 202, 204])
          .describe("the statuses that mean it was done"),
        where: scalars
          .default({})
          .describe("values that must stand in the answer's JSON, by their path: result.ok: true"),
      })
      .prefault({})
      .describe("what an answer must be to mean that it was done"),
    patterns: z
      .enum(["none", "prefix", "segment"])
      .default("none")
      .describe("whether it takes wildcards, and what they may stand for"),
    trees: z
      .strictObject({
        under: text.optional().describe("the name of their own list or field"),
        star: z.boolean().default(true).describe("whether the * at their end is sent"),
      })
      .prefault({})
      .describe("how wildcards are given"),
    everything: z
      .strictObject({ besides: scalars.describe("what goes along with that request in place of addresses") })
      .optional()
      .describe("how everything is asked for"),
    worth: size
      .default(64_000)
      .describe("so many bytes of correct copies may be dropped to spare one pattern"),
    ...edgeCommon,
  })
  .refine(({ by, endpoint }) => (by === "endpoint") === endpoint.includes("{address}"), {
    path: ["endpoint"],
    error: "with by: endpoint, and only then, it says where the address goes: {address}",
  })
  .refine(({ by, everything }) => by !== "endpoint" || !everything, {
    path: ["everything"],
    error:
      "with by: endpoint each address is a request of its own: patterns: prefix and /* ask for everything",
  });
const noEdge = z.strictObject({
  kind: z.literal("none").describe("no edge, or one that can't be asked to forget"),
  name: text.optional().describe("a name for messages"),
});
/** One edge of a destination. */
export const edgeSchema = z.discriminatedUnion("kind", [distributionEdge, purgeEdge, requestEdge, noEdge]);

import * as z from "zod";
import { PAGE_FORMS } from "../core/addresses/addresses.ts";
import { READERS } from "../core/bucket/policies.ts";
import {
  bucketName,
  bucketPrefix,
  duration,
  glob,
  headerName,
  headerValue,
  hostName,
  httpUrl,
  mediaType,
  previewAddress,
  previewPrefix,
  httpMethod,
  requestUrl,
  region,
  sitePath,
  sitePathName,
  target,
  text,
  wait,
} from "./texts.ts";
import { findHeaderMistake } from "./edge-headers.ts";
import { parseBytes, parseShare, PERCENT, SIZE } from "./units.ts";

/**
 * `courier.yaml` as one schema: the file is checked against it, and `courier.schema.json` for editors is made from its
 * input side. Durations come out in seconds, sizes in bytes, shares from 0 to 1.
 */
const size = z.string().regex(SIZE, "a size such as 64KB or 5MB").transform(parseBytes);
const share = z.string().regex(PERCENT, "a share such as 25%").transform(parseShare);
/** Headers that an object can carry; every other one belongs to the edge. */
const CARRIED =
  /^(content-type|cache-control|content-encoding|content-disposition|content-language|expires|x-amz-meta-[a-z0-9-]+)$/i;
const headerSet = z.record(text, headerValue).superRefine((set, context) => {
  for (const name of Object.keys(set).filter((candidate) => !CARRIED.test(candidate))) {
    const message = `a stored object can't carry ${name}: say it in edge.headers of a distribution, or set it at the edge and let verify check it with expect.headers`;
    context.addIssue({ code: "custom", path: [name], message });
  }
});

const freshnessRules = z.array(
  z.strictObject({ files: glob, browser: duration.optional(), edge: duration.optional() }),
);
const headerRules = z.array(z.strictObject({ files: glob, set: headerSet }));
const typeRules = z.array(z.strictObject({ files: glob, type: mediaType }));
const globs = z.array(glob);

const build = z.strictObject({
  folder: text.optional().describe("the folder that the build writes, or an archive of it"),
  entry: text.default("index.html"),
  notFound: text.optional(),
  clientRoutes: z.boolean().default(false).describe("an unknown address is answered with the entry page"),
  exclude: globs.default([]),
  retireWorkers: z
    .boolean()
    .default(false)
    .describe("a service worker that the build no longer has is taken away from browsers"),
});

const s3Store = z
  .strictObject({
    kind: z.literal("s3"),
    bucket: bucketName,
    region: region.optional(),
    endpoint: httpUrl.optional(),
    prefix: bucketPrefix.default(""),
    addressing: z.enum(["path", "host"]).optional(),
    serves: z.enum(["website", "objects"]).default("objects"),
    readers: z
      .enum(READERS)
      .optional()
      .describe("who may read the site from the store; provision sees to it"),
    profile: text.optional(),
    identity: text
      .optional()
      .describe("the delivering identity as policies name it, or the role that CI takes on"),
    ownsWebsite: z.boolean().default(false),
    encryption: text.optional(),
    acl: text.optional(),
  })
  .transform((store) => ({
    ...store,
    addressing: store.addressing ?? (store.endpoint === undefined ? ("host" as const) : ("path" as const)),
  }));
const folderStore = z.strictObject({ kind: z.literal("folder"), folder: text });

const ADDRESSES = /^[1-9]\d{0,8} addresses$/;
const edgeCommon = {
  name: text.optional(),
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
  kind: z.literal("distribution"),
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
  endpoint: httpUrl.optional(),
  region: region.default("us-east-1"),
  profile: text.optional(),
  patterns: z.int().min(1).max(1_000_000).default(3000),
  wildcards: z.int().min(0).max(10_000).default(15),
  wildcard: z.enum(["prefix", "segment", "none"]).default("prefix"),
  worth: size.default(64_000),
  confirmWithin: wait(1, 86_400, "it is waited for between 1s and 1d").default(900),
  ...edgeCommon,
});
const purgeEdge = z.strictObject({
  kind: z.literal("purge"),
  url: httpUrl.optional(),
  nodes: z.array(httpUrl).min(1).optional(),
  host: hostName.optional(),
  token: headerValue.min(1, "some text").optional(),
  header: headerName.default("X-Purge-Token"),
  patterns: z.enum(["none", "path", "ban"]).default("none"),
  encodings: z.array(headerValue).max(100).optional(),
  ...edgeCommon,
});
const scalars = z.record(text, z.union([z.string(), z.number(), z.boolean()]));
const requestEdge = z
  .strictObject({
    kind: z.literal("request"),
    endpoint: requestUrl,
    method: httpMethod.default("POST"),
    headers: z.record(headerName, headerValue).default({}),
    url: httpUrl.optional().describe("where it answers itself, behind another edge"),
    by: z
      .enum(["json", "form", "endpoint"])
      .default("json")
      .describe("where addresses go: a list in JSON, fields of a form, or {address} in the endpoint"),
    under: text.default("urls").describe("the name of that list, or of the fields"),
    as: z.enum(["url", "host", "path"]).default("url").describe("how an address is written"),
    besides: scalars.default({}).describe("what goes along with every request"),
    most: z.int().min(1).max(100_000).default(30).describe("addresses that one request may hold"),
    pace: z.number().min(0.01).max(1000).default(5).describe("requests a second"),
    done: z
      .strictObject({
        status: z.array(z.int().min(100).max(599)).min(1).default([200, 201, 202, 204]),
        where: scalars.default({}),
      })
      .prefault({})
      .describe("what an answer must be to mean that it was done"),
    patterns: z.enum(["none", "prefix", "segment"]).default("none"),
    trees: z.strictObject({ under: text.optional(), star: z.boolean().default(true) }).prefault({}),
    everything: z.strictObject({ besides: scalars }).optional(),
    worth: size.default(64_000),
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
const noEdge = z.strictObject({ kind: z.literal("none"), name: text.optional() });
const edge = z.discriminatedUnion("kind", [distributionEdge, purgeEdge, requestEdge, noEdge]);

/** One of `destinations`. */
export const destinationSchema = z.strictObject({
  url: httpUrl.optional(),
  store: z.discriminatedUnion("kind", [s3Store, folderStore]),
  edge: z.union([edge, z.array(edge)]).default({ kind: "none" }),
  default: z.boolean().default(false),
  ask: z.boolean().default(false),
  retain: z
    .strictObject({ releases: z.int().min(1).max(10_000).default(5), for: duration.default(14 * 86_400) })
    .prefault({}),
  guards: z.strictObject({ vanish: share.default(0.25) }).prefault({}),
  previews: z
    .strictObject({
      prefix: previewPrefix.default("previews/{name}/"),
      address: previewAddress
        .optional()
        .describe("where visitors reach a preview; not said: below the destination's own url"),
      lasts: wait(60, 10 * 31_536_000, "a preview lasts between 1m and 10y").default(7 * 86_400),
    })
    .optional(),
  state: z.strictObject({ bucket: bucketName, prefix: bucketPrefix.default("") }).optional(),
  hold: z.strictObject({ lease: wait(1, 3600, "a lease lasts between 1s and 1h").default(30) }).prefault({}),
  rewrites: z
    .boolean()
    .default(false)
    .describe("an edge changes what it passes on, so that answers can't be compared with what was delivered"),
  expect: z.strictObject({ headers: z.record(headerName, headerValue).default({}) }).optional(),
  noIndex: z.boolean().default(false),
  freshness: freshnessRules.default([]),
  headers: headerRules.default([]),
  exclude: globs.default([]),
  files: z
    .array(z.strictObject({ from: text, as: sitePathName }))
    .max(1000)
    .default([])
    .describe("files of this destination alone, from wherever they stand"),
});

const redirect = z.strictObject({
  address: sitePath,
  leadsTo: target,
  kind: z.enum(["permanent", "temporary"]),
  keepMethod: z.boolean().default(false),
});

export const settingsSchema = z.strictObject({
  site: text,
  build: build.prefault({}),
  addresses: z.strictObject({ pages: z.array(z.enum(PAGE_FORMS)).min(1).optional() }).prefault({}),
  freshness: freshnessRules.default([]),
  headers: headerRules.default([]),
  types: typeRules.default([]),
  compression: z.enum(["off", "gzip"]).default("off"),
  redirects: z.array(redirect).max(20_000).default([]),
  destinations: z.record(
    z.string().regex(/^[A-Za-z0-9][\w-]*$/, "a name of letters, digits, - and _"),
    destinationSchema,
  ),
});

export type Settings = z.output<typeof settingsSchema>;
/** As people write them. */
export type SettingsInput = z.input<typeof settingsSchema>;
export type DestinationSettings = Settings["destinations"][string];
export type StoreSettings = DestinationSettings["store"];
export type EdgeSettings = z.output<typeof edge>;

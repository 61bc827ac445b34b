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
  httpUrl,
  mediaType,
  previewAddress,
  previewPrefix,
  region,
  sitePath,
  sitePathName,
  target,
  text,
  wait,
} from "./texts.ts";
import { CARRIED } from "./edge-headers.ts";
import { edgeSchema } from "./edge-schema.ts";
import { parseShare, PERCENT } from "./units.ts";

/**
 * `courier.yaml` as one schema: the file is checked against it, and `courier.schema.json` for editors is made from its
 * input side. Durations come out in seconds, sizes in bytes, shares from 0 to 1.
 */
const share = z.string().regex(PERCENT, "a share such as 25%").transform(parseShare);
const headerSet = z.record(text, headerValue).superRefine((set, context) => {
  for (const name of Object.keys(set).filter((candidate) => !CARRIED.test(candidate))) {
    const message = `a stored object can't carry ${name}: say it in edge.headers of a distribution, or set it at the edge and let verify check it with expect.headers`;
    context.addIssue({ code: "custom", path: [name], message });
  }
});

const freshnessRules = z.array(
  z.strictObject({
    files: glob.describe("the files of the build that it is for"),
    browser: duration.optional().describe("how long browsers may reuse a response without asking"),
    edge: duration.optional().describe("how long the edge may"),
  }),
);
const headerRules = z.array(
  z.strictObject({
    files: glob.describe("the files of the build that it is for"),
    set: headerSet.describe("headers by name; only those that a stored object can carry"),
  }),
);
const typeRules = z.array(
  z.strictObject({
    files: glob.describe("the files of the build that it is for"),
    type: mediaType.describe("their content type"),
  }),
);
const globs = z.array(glob);

const build = z.strictObject({
  folder: text.optional().describe("the folder that the build writes, or an archive of it"),
  entry: text
    .default("index.html")
    .describe("the entry page: it is written last, and its file name is that of all index pages"),
  notFound: text
    .optional()
    .describe("the page for addresses that don't exist; not said: 404.html, if the build has one"),
  clientRoutes: z.boolean().default(false).describe("an unknown address is answered with the entry page"),
  exclude: globs.default([]).describe("files of the build that are left out"),
  retireWorkers: z
    .boolean()
    .default(false)
    .describe("a service worker that the build no longer has is taken away from browsers"),
});

const s3Store = z
  .strictObject({
    kind: z.literal("s3").describe("a bucket of object storage that is reached by the S3 protocol"),
    bucket: bucketName.describe("its name"),
    region: region.optional().describe("its region; where endpoint is set, not needed"),
    endpoint: httpUrl
      .optional()
      .describe("where the store is; not said: the service's own address in that region"),
    prefix: bucketPrefix
      .default("")
      .describe("what stands before all keys; several destinations may share a bucket"),
    addressing: z
      .enum(["path", "host"])
      .optional()
      .describe(
        "whether the bucket's name is part of the path or of the host; not said: path with an endpoint, else host",
      ),
    serves: z
      .enum(["website", "objects"])
      .default("objects")
      .describe(
        "what the endpoint resolves that the edge reads from: website finds index pages, objects knows exact keys only",
      ),
    readers: z
      .enum(READERS)
      .optional()
      .describe("who may read the site from the store; provision sees to it"),
    profile: text.optional().describe("the shared profile with the credentials"),
    identity: text
      .optional()
      .describe("the delivering identity as policies name it, or the role that CI takes on"),
    ownsWebsite: z
      .boolean()
      .default(false)
      .describe("whether provision and redirects may write over the bucket's website settings"),
    encryption: text.optional().describe("not supported yet"),
    acl: text.optional().describe("not supported yet"),
  })
  .transform((store) => ({
    ...store,
    addressing: store.addressing ?? (store.endpoint === undefined ? ("host" as const) : ("path" as const)),
  }));
const folderStore = z.strictObject({
  kind: z.literal("folder").describe("a folder that a web server reads"),
  folder: text.describe("where it is; it must exist"),
});

/** One of `destinations`. */
export const destinationSchema = z.strictObject({
  url: httpUrl.optional().describe("the address that visitors use"),
  store: z.discriminatedUnion("kind", [s3Store, folderStore]).describe("where the files are kept"),
  edge: z
    .union([edgeSchema, z.array(edgeSchema)])
    .default({ kind: "none" })
    .describe("the CDN or cache between visitors and the store; several are listed from the store outwards"),
  default: z.boolean().default(false).describe("calls without --to mean this destination"),
  ask: z.boolean().default(false).describe("a person is asked before the first write; --yes answers"),
  retain: z
    .strictObject({
      releases: z.int().min(1).max(10_000).default(5).describe("how many releases"),
      for: duration.default(14 * 86_400).describe("and how long after its replacement"),
    })
    .prefault({})
    .describe("how long a release can be put back: until both have passed"),
  guards: z
    .strictObject({
      vanish: share.default(0.25).describe("the share of addresses that may stop answering in one delivery"),
    })
    .prefault({})
    .describe("what stops a delivery"),
  previews: z
    .strictObject({
      prefix: previewPrefix.default("previews/{name}/").describe("where a preview stands in the bucket"),
      address: previewAddress
        .optional()
        .describe("where visitors reach a preview; not said: below the destination's own url"),
      lasts: wait(60, 10 * 31_536_000, "a preview lasts between 1m and 10y")
        .default(7 * 86_400)
        .describe("how long a preview stands after its last delivery"),
    })
    .optional()
    .describe("builds that are shown before they are live"),
  state: z
    .strictObject({
      bucket: bucketName.describe("not supported yet"),
      prefix: bucketPrefix.default("").describe("not supported yet"),
    })
    .optional()
    .describe("not supported yet"),
  hold: z
    .strictObject({
      lease: wait(1, 3600, "a lease lasts between 1s and 1h")
        .default(30)
        .describe("how long a run that died on another machine keeps the destination to itself"),
    })
    .prefault({})
    .describe("the hold: one run at a time works at a destination"),
  rewrites: z
    .boolean()
    .default(false)
    .describe("an edge changes what it passes on, so that answers can't be compared with what was delivered"),
  expect: z
    .strictObject({
      headers: z
        .record(headerName, headerValue)
        .default({})
        .describe("headers by name, with their value or *: any value"),
    })
    .optional()
    .describe("what every answer must have; verify looks for it"),
  noIndex: z.boolean().default(false).describe("search engines are kept out by a robots.txt of our own"),
  freshness: freshnessRules
    .default([])
    .describe("how long responses may be reused here; these rules come after the general ones"),
  headers: headerRules
    .default([])
    .describe("headers of objects here; these rules come after the general ones"),
  exclude: globs.default([]).describe("files of the build that are left out here, too"),
  files: z
    .array(
      z.strictObject({
        from: text.describe("the file, from the settings file's folder"),
        as: sitePathName.describe("its path in the build"),
      }),
    )
    .max(1000)
    .default([])
    .describe("files of this destination alone, from wherever they stand"),
});

const redirect = z.strictObject({
  address: sitePath.describe("an address of the site; a * at its end stands for anything"),
  leadsTo: target.describe("where it leads: an address of the site, or a whole URL"),
  kind: z.enum(["permanent", "temporary"]).describe("permanent: 301; temporary: 302"),
  keepMethod: z.boolean().default(false).describe("308 or 307 instead: a form that was sent stays a form"),
});

export const settingsSchema = z.strictObject({
  site: text.describe("the site's name; a destination with another site is refused"),
  build: build.prefault({}).describe("what is delivered"),
  addresses: z
    .strictObject({
      pages: z
        .array(z.enum(PAGE_FORMS))
        .min(1)
        .optional()
        .describe(
          "the forms under which a page answers: file (/news/index.html), folder (/news/), bare (/news)",
        ),
    })
    .prefault({})
    .describe("how pages are found"),
  freshness: freshnessRules.default([]).describe("how long responses may be reused; a later rule counts"),
  headers: headerRules.default([]).describe("headers of objects; a later rule counts"),
  types: typeRules.default([]).describe("content types that the file's name doesn't tell"),
  compression: z
    .enum(["off", "gzip"])
    .default("off")
    .describe("whether text is stored compressed; for stores and edges that don't compress"),
  redirects: z
    .array(redirect)
    .max(20_000)
    .default([])
    .describe("addresses that lead elsewhere; the first that matches counts"),
  destinations: z
    .record(z.string().regex(/^[A-Za-z0-9][\w-]*$/, "a name of letters, digits, - and _"), destinationSchema)
    .describe("where the site is delivered, by name"),
});

export type Settings = z.output<typeof settingsSchema>;
/** As people write them. */
export type SettingsInput = z.input<typeof settingsSchema>;
export type DestinationSettings = Settings["destinations"][string];
export type StoreSettings = DestinationSettings["store"];
export type EdgeSettings = z.output<typeof edgeSchema>;

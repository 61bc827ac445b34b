import { receiveText } from "../store/body.ts";
import { parseXml, toXml } from "../store/xml.ts";
import type { ApiAnswer, Route } from "./api-route.ts";
import { textAt } from "./behaviour.ts";
import type { KeptFunction, ViewerFunctions } from "./viewer-functions.ts";

const ALL = /^\/2020-05-31\/function$/;
const ONE = /^\/2020-05-31\/function\/([^/]+)$/;

/** Functions: made and changed as drafts, and published. */
export const FUNCTION_ROUTES: readonly Route[] = [
  {
    ...{ method: "POST", path: ALL, operation: "CreateFunction", isOfOne: false },
    answer: async ({ options: { distributions } }, { request }) => {
      const asked = parseXml(await receiveText(request), "CreateFunctionRequest");
      const config = (asked.FunctionConfig ?? {}) as KeptFunction["config"];
      const made = distributions.functions.make(textAt(asked, "Name"), config, decode(asked.FunctionCode));
      return show(distributions.functions, made, { status: 201, stage: "DEVELOPMENT" });
    },
  },
  {
    ...{ method: "GET", path: ONE, operation: "GetFunction", isOfOne: false },
    answer: ({ options: { distributions } }, { request, ids: [name = ""] }) => {
      const { code, version } = distributions.functions.read(name, stageOf(request.url));
      return {
        status: 200,
        body: code,
        headers: { etag: version, "content-type": "application/octet-stream" },
      };
    },
  },
  {
    ...{ method: "GET", operation: "DescribeFunction", isOfOne: false },
    path: /^\/2020-05-31\/function\/([^/]+)\/describe$/,
    answer: ({ options: { distributions } }, { request, ids: [name = ""] }) => {
      const stage = stageOf(request.url);
      const { version } = distributions.functions.read(name, stage);
      const found = distributions.functions.find(name);
      return { ...show(distributions.functions, found, { status: 200, stage }), headers: { etag: version } };
    },
  },
  {
    ...{ method: "PUT", path: ONE, operation: "UpdateFunction", isOfOne: false },
    answer: async ({ options: { distributions } }, { request, ids: [name = ""] }) => {
      const asked = parseXml(await receiveText(request), "UpdateFunctionRequest");
      const version = request.headers["if-match"];
      const changed = distributions.functions.change(name, version, decode(asked.FunctionCode));
      const shown = show(distributions.functions, changed, { status: 200, stage: "DEVELOPMENT" });
      // The interface names the version of this one answer so.
      return { ...shown, headers: { ettag: changed.draft.version } };
    },
  },
  {
    ...{ method: "POST", operation: "PublishFunction", isOfOne: false },
    path: /^\/2020-05-31\/function\/([^/]+)\/publish$/,
    answer: ({ options: { distributions } }, { request, ids: [name = ""] }) => {
      const published = distributions.functions.publish(name, request.headers["if-match"]);
      return show(distributions.functions, published, { status: 200, stage: "LIVE" });
    },
  },
];

const decode = (code: unknown): string =>
  Buffer.from(typeof code === "string" ? code : "", "base64").toString();

const stageOf = (url = ""): string =>
  new URL(url, "http://localhost").searchParams.get("Stage") ?? "DEVELOPMENT";

function show(
  functions: ViewerFunctions,
  one: KeptFunction,
  { status, stage }: { readonly status: number; readonly stage: string },
): ApiAnswer {
  const { name, config, draft } = one;
  const summary = {
    Name: name,
    Status: stage !== "LIVE" ? "UNPUBLISHED" : functions.isEverywhere(one) ? "DEPLOYED" : "IN_PROGRESS",
    FunctionConfig: config,
    FunctionMetadata: {
      FunctionARN: `arn:aws:cloudfront::000000000000:function/${name}`,
      Stage: stage,
      LastModifiedTime: new Date().toISOString(),
    },
  };
  return { status, headers: { etag: draft.version }, body: toXml("FunctionSummary", summary) };
}

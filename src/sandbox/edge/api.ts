import { createServer, type IncomingMessage, type Server, type ServerResponse } from "node:http";
import { receiveText } from "../store/body.ts";
import { ProtocolError } from "../store/failure.ts";
import { judge, refuse, type Right } from "../store/permissions.ts";
import { authenticate, type SignatureRules } from "../store/signature.ts";
import { parseXml, toErrorXml, toXml } from "../store/xml.ts";
import { strike } from "../faults.ts";
import { forLoopback } from "../loopback.ts";
import { textAt, type Tree } from "./behaviour.ts";
import type { Distribution, Distributions, ShelfName } from "./distributions.ts";
import type { ApiAnswer, Call, EdgeApiOptions, RoutedApi, Route } from "./api-route.ts";
import { FUNCTION_ROUTES } from "./function-routes.ts";

const ONE = /^\/2020-05-31\/distribution\/([^/]+)$/;
const BATCHES = /^\/2020-05-31\/distribution\/([^/]+)\/invalidation$/;
const okay = (body: string): ApiAnswer => ({ status: 200, body });

const ROUTES: readonly Route[] = [
  {
    ...{ method: "POST", path: BATCHES, operation: "CreateInvalidation", isOfOne: true },
    answer: async (api, { request, ids: [id = ""], isLost }) => {
      api.options.distributions.find(id);
      const body = api.options.invalidations.ask(id, await receiveText(request), isLost);
      return { status: 201, body };
    },
  },
  {
    ...{ method: "GET", path: BATCHES, operation: "ListInvalidations", isOfOne: true },
    action: "GetInvalidation",
    answer: (api, { ids: [id = ""] }) => {
      api.options.distributions.find(id);
      return okay(api.options.invalidations.look(id, undefined));
    },
  },
  {
    ...{ method: "GET", operation: "GetInvalidation", isOfOne: true },
    path: /^\/2020-05-31\/distribution\/([^/]+)\/invalidation\/([^/]+)$/,
    answer: (api, { ids: [id = "", batch] }) => {
      api.options.distributions.find(id);
      return okay(api.options.invalidations.look(id, batch));
    },
  },
  {
    ...{ method: "GET", path: ONE, operation: "GetDistribution", isOfOne: true },
    answer: (api, { ids: [id = ""] }) => api.show(api.options.distributions.find(id), 200),
  },
  {
    ...{
      method: "GET",
      path: /^\/2020-05-31\/distribution$/,
      operation: "ListDistributions",
      isOfOne: false,
    },
    answer: (api) => okay(api.list()),
  },
  {
    ...{
      method: "POST",
      path: /^\/2020-05-31\/distribution$/,
      operation: "CreateDistribution",
      isOfOne: false,
    },
    answer: async (api, { request }) => {
      const config = parseXml(await receiveText(request), "DistributionConfig");
      return api.show(api.options.distributions.make(config), 201);
    },
  },
  {
    ...{ method: "GET", operation: "GetDistributionConfig", isOfOne: true },
    path: /^\/2020-05-31\/distribution\/([^/]+)\/config$/,
    answer: (api, { ids: [id = ""] }) => {
      const { config = {}, etag = "" } = api.options.distributions.find(id).versions.at(-1) ?? {};
      return { status: 200, headers: { etag }, body: toXml("DistributionConfig", config) };
    },
  },
  {
    ...{ method: "PUT", operation: "UpdateDistribution", isOfOne: true },
    path: /^\/2020-05-31\/distribution\/([^/]+)\/config$/,
    answer: async (api, { request, ids: [id = ""] }) => {
      const config = parseXml(await receiveText(request), "DistributionConfig");
      return api.show(api.options.distributions.change(id, request.headers["if-match"], config), 200);
    },
  },
  ...toShelfRoutes("cachePolicies", { path: "cache-policy", name: "CachePolicy", list: "CachePolicies" }),
  ...toShelfRoutes("headersPolicies", {
    ...{ path: "response-headers-policy", name: "ResponseHeadersPolicy", list: "ResponseHeadersPolicies" },
  }),
  ...FUNCTION_ROUTES,
  ...toShelfRoutes("originAccess", {
    ...{ path: "origin-access-control", name: "OriginAccessControl", list: "OriginAccessControls" },
  }),
];

/** What is made, read and listed under ids of its own. */
function toShelfRoutes(
  kind: ShelfName,
  { path, name, list }: { readonly path: string; readonly name: string; readonly list: string },
): Route[] {
  const toTree = (id: string, config: Tree): Tree => ({ Id: id, [`${name}Config`]: config });
  const all = new RegExp(`^/2020-05-31/${path}$`);
  return [
    {
      ...{ method: "POST", path: all, operation: `Create${name}`, isOfOne: false },
      answer: async ({ options: { distributions } }, { request }) => {
        const config = parseXml(await receiveText(request), `${name}Config`);
        const id = distributions.shelve(kind, config);
        return { ...withVersion(distributions, id), status: 201, body: toXml(name, toTree(id, config)) };
      },
    },
    ...(kind === "headersPolicies"
      ? [
          {
            ...{ method: "PUT", operation: `Update${name}`, isOfOne: false },
            path: new RegExp(`^/2020-05-31/${path}/([^/]+)$`),
            answer: async ({ options: { distributions } }: RoutedApi, { request, ids: [id = ""] }: Call) => {
              const config = parseXml(await receiveText(request), `${name}Config`);
              distributions.changeHeaders(id, request.headers["if-match"], config);
              return { ...withVersion(distributions, id), ...okay(toXml(name, toTree(id, config))) };
            },
          },
        ]
      : []),
    {
      ...{ method: "GET", operation: `Get${name}`, isOfOne: false },
      path: new RegExp(`^/2020-05-31/${path}/([^/]+)$`),
      answer: ({ options: { distributions } }, { ids: [id = ""] }) => {
        const config = distributions.shelved(kind).get(id);
        if (!config) throw new ProtocolError(404, `NoSuch${name}`, "There is none of this id.");
        return { ...withVersion(distributions, id), ...okay(toXml(name, toTree(id, config))) };
      },
    },
    {
      ...{ method: "GET", path: all, operation: `List${list}`, isOfOne: false },
      answer: ({ options: { distributions } }) => {
        const shelf = [...distributions.shelved(kind)];
        const items =
          kind !== "originAccess"
            ? { [`${name}Summary`]: shelf.map(([id, one]) => ({ Type: "custom", [name]: toTree(id, one) })) }
            : { OriginAccessControlSummary: shelf.map(([id, one]) => ({ Id: id, ...one })) };
        return okay(toXml(`${name}List`, toList(shelf.length, items)));
      },
    },
  ];
}

const withVersion = (distributions: Distributions, id: string): Pick<ApiAnswer, "headers"> => {
  const etag = distributions.versionOf(id);
  return etag === "" ? {} : { headers: { etag } };
};

const toList = (count: number, items: Tree): Tree => ({
  ...{ Marker: "", MaxItems: 100, IsTruncated: false, Quantity: count },
  ...(count === 0 ? {} : { Items: items }),
});

/** Where certificates are listed: an interface of its own, beside the other. */
const CERTIFICATES = "CertificateManager.ListCertificates";

/** How distributions are set up and asked to forget, over REST and XML; and which certificates there are, in JSON. */
export class EdgeApi {
  readonly server: Server;

  constructor(readonly options: EdgeApiOptions) {
    this.server = createServer(forLoopback((request, response) => void this.handle(request, response)));
  }

  /** A distribution as the interface shows it. */
  show(distribution: Distribution, status: number): ApiAnswer {
    const { etag = "" } = distribution.versions.at(-1) ?? {};
    return { status, headers: { etag }, body: toXml("Distribution", this.toTree(distribution)) };
  }

  list(): string {
    const { distributions } = this.options;
    const items = distributions.list().map((one) => {
      const { DistributionConfig, ...rest } = this.toTree(one) as { DistributionConfig: Tree };
      return { ...rest, Comment: textAt(DistributionConfig, "Comment"), Enabled: DistributionConfig.Enabled };
    });
    return toXml("DistributionList", toList(items.length, { DistributionSummary: items }));
  }

  private toTree(distribution: Distribution): Tree {
    const { distributions } = this.options;
    const { id, versions } = distribution;
    return {
      Id: id,
      ARN: `arn:aws:cloudfront::000000000000:distribution/${id}`,
      Status: distributions.isDeployed(distribution) ? "Deployed" : "InProgress",
      LastModifiedTime: new Date(versions.at(-1)?.sinceMs ?? 0).toISOString(),
      InProgressInvalidationBatches: 0,
      DomainName: distributions.home,
      DistributionConfig: versions.at(-1)?.config,
    };
  }

  private async handle(request: IncomingMessage, response: ServerResponse): Promise<void> {
    const [path = "/"] = (request.url ?? "/").split("?");
    const isOfCertificates = request.headers["x-amz-target"] === CERTIFICATES;
    const route = ROUTES.find((one) => one.method === request.method && one.path.test(path));
    const operation = isOfCertificates ? "ListCertificates" : (route?.operation ?? "Unknown");
    const fault = this.options.faults.choose({ part: "edge-api", operation, key: path });
    const goesOn = strike(fault, request, response);
    if (!(await goesOn.catch(() => true))) return;
    const isLost = fault?.fault === "lost-invalidation";
    const ids = (route?.path.exec(path) ?? []).slice(1);
    const { status, body, code, headers } = await goesOn
      .then(() =>
        isOfCertificates ? this.showCertificates(request) : this.respond({ request, ids, isLost }, route),
      )
      .catch((error: unknown) => toRefusal(error, isOfCertificates));
    const type = isOfCertificates ? "application/x-amz-json-1.1" : "text/xml";
    response.writeHead(status, { "content-type": type, ...headers }).end(body);
    const refused = code === undefined ? {} : { code };
    const { method = "" } = request;
    this.options.ledger.note({ part: "edge-api", operation, method, status, received: 0, ...refused });
  }

  private async respond(call: Call, route: Route | undefined): Promise<ApiAnswer> {
    if (!route) throw new ProtocolError(404, "NoSuchResource", "The sandbox does not know this request.");
    const resource = route.isOfOne
      ? `arn:aws:cloudfront::000000000000:distribution/${call.ids[0]}`
      : toResource(call.request.url ?? "");
    const action = `cloudfront:${route.action ?? route.operation}`;
    this.admit(call.request, "cloudfront", { action, resource });
    return route.answer(this, call);
  }

  private admit(request: IncomingMessage, service: SignatureRules["service"], right: Right): void {
    const { identities } = this.options;
    const facts = { method: request.method ?? "", target: request.url ?? "/", headers: request.headers };
    const rules = { identities, region: "us-east-1", service, nowMs: Date.now() };
    const identity = authenticate(facts, rules);
    if (!identity) throw new ProtocolError(403, "AccessDenied", "Access denied.");
    if (identity.policy && judge(identity.policy, right) !== "allow") refuse(right);
  }

  private showCertificates(request: IncomingMessage): ApiAnswer {
    this.admit(request, "acm", { action: "acm:ListCertificates", resource: "*" });
    const list = this.options.distributions.certificates.map(({ reference, names, until }) => ({
      CertificateArn: reference,
      DomainName: names[0],
      SubjectAlternativeNameSummaries: names,
      Status: Date.parse(until) <= Date.now() ? "EXPIRED" : "ISSUED",
      NotAfter: Date.parse(until) / 1000,
    }));
    return okay(JSON.stringify({ CertificateSummaryList: list }));
  }
}

/** What rights for a function or a headers policy name. */
function toResource(url: string): string {
  const [, kind, id] = /^\/2020-05-31\/(function|response-headers-policy)\/([^/?]+)/.exec(url) ?? [];
  return kind === undefined ? "*" : `arn:aws:cloudfront::000000000000:${kind}/${id}`;
}

function toRefusal(error: unknown, inJson: boolean): ApiAnswer {
  const { status, code, message } =
    error instanceof ProtocolError ? error : new ProtocolError(500, "InternalError", String(error));
  const body = inJson
    ? JSON.stringify({ __type: code, message })
    : toErrorXml({ Type: "Sender", Code: code, Message: message });
  return { status, code, body };
}

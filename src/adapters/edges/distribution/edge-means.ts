import {
  CreateFunctionCommand,
  CreateResponseHeadersPolicyCommand,
  DescribeFunctionCommand,
  GetFunctionCommand,
  GetResponseHeadersPolicyCommand,
  ListResponseHeadersPoliciesCommand,
  PublishFunctionCommand,
  UpdateFunctionCommand,
  UpdateResponseHeadersPolicyCommand,
  type FunctionConfig,
  type FunctionSummary,
  type ResponseHeadersPolicyConfig,
} from "@aws-sdk/client-cloudfront";
import { PASSING_FUNCTION } from "../../../core/edge-rules/function-code.ts";
import { unlessUnknown, type ControlCaller } from "./caller.ts";
import { isSameHeadersPolicy, toHeadersPolicy, withContentPolicy } from "./headers-policy.ts";

const CONFIG: FunctionConfig = {
  Comment: "made by rcourier provision; each delivery says what it does",
  Runtime: "cloudfront-js-2.0",
};

/** A function as it is worked at. */
interface Draft {
  readonly arn: string;
  /** What changes of it must name. */
  readonly version: string;
  readonly config: FunctionConfig;
}

/** The functions and the policies of headers that distributions refer to. */
export class EdgeMeansControl {
  constructor(private readonly caller: ControlCaller) {}

  /** The ARN of a function that can be given to distributions; where there is none of this name, one that changes nothing is made. */
  async makeFunction(name: string): Promise<string> {
    const { client } = this.caller;
    const draft = (await this.readDraft(name)) ?? (await this.createFunction(name));
    const live = new DescribeFunctionCommand({ Name: name, Stage: "LIVE" });
    const isLive = await this.caller.call("read-function", () => client.send(live)).catch(unlessUnknown);
    // One that was made and never published is nothing that a distribution could run.
    if (!isLive) await this.publish(name, draft.version);
    return draft.arn;
  }

  private async createFunction(name: string): Promise<Draft> {
    const make = new CreateFunctionCommand({
      ...{ Name: name, FunctionConfig: CONFIG },
      FunctionCode: Buffer.from(PASSING_FUNCTION),
    });
    const made = await this.caller.call("make-function", () => this.caller.client.send(make));
    return toDraft(made.FunctionSummary, made.ETag);
  }

  /** Undefined: there is none, or it was never published. */
  async readCode(name: string): Promise<string | undefined> {
    const command = new GetFunctionCommand({ Name: name, Stage: "LIVE" });
    const found = await this.caller
      .call("read-function", () => this.caller.client.send(command))
      .catch(unlessUnknown);
    return found?.FunctionCode && Buffer.from(found.FunctionCode).toString();
  }

  /** Gives a function its code, everywhere at once or not at all. It has to be there. */
  async writeCode(name: string, code: string): Promise<void> {
    if ((await this.readCode(name)) === code) return;
    const draft = (await this.readDraft(name)) ?? (await this.createFunction(name));
    const update = new UpdateFunctionCommand({
      ...{ Name: name, IfMatch: draft.version, FunctionConfig: draft.config },
      FunctionCode: Buffer.from(code),
    });
    const updated = await this.caller.call("change-function", () => this.caller.client.send(update));
    // Some name the new version in their answer under another header.
    await this.publish(name, updated.ETag ?? (await this.readDraft(name))?.version ?? "");
  }

  /** Whether it runs in all places as it was published last. */
  async isPublished(name: string): Promise<boolean> {
    const command = new DescribeFunctionCommand({ Name: name, Stage: "LIVE" });
    const found = await this.caller.call("read-function", () => this.caller.client.send(command));
    return !/progress/i.test(found.FunctionSummary?.Status ?? "");
  }

  private async readDraft(name: string): Promise<Draft | undefined> {
    const command = new DescribeFunctionCommand({ Name: name, Stage: "DEVELOPMENT" });
    const found = await this.caller
      .call("read-function", () => this.caller.client.send(command))
      .catch(unlessUnknown);
    return found && toDraft(found.FunctionSummary, found.ETag);
  }

  private async publish(name: string, version: string): Promise<void> {
    const command = new PublishFunctionCommand({ Name: name, IfMatch: version });
    await this.caller.call("publish-function", () => this.caller.client.send(command));
  }

  /** The id of the policy of a name; where there is none, one that sets nothing is made. */
  async makePolicy(name: string): Promise<string> {
    const { client } = this.caller;
    const all = await this.caller.listAll("list-headers-policies", async (marker) => {
      const command = new ListResponseHeadersPoliciesCommand({
        Type: "custom",
        ...(marker === undefined ? {} : { Marker: marker }),
      });
      const list = (await client.send(command)).ResponseHeadersPolicyList;
      return { items: list?.Items, next: list?.NextMarker };
    });
    const found = all.find(
      ({ ResponseHeadersPolicy: one }) => one?.ResponseHeadersPolicyConfig?.Name === name,
    );
    if (found) return found.ResponseHeadersPolicy?.Id ?? "";
    const make = new CreateResponseHeadersPolicyCommand({
      ResponseHeadersPolicyConfig: toHeadersPolicy(name, {}),
    });
    const made = await this.caller.call("make-headers-policy", () => client.send(make));
    return made.ResponseHeadersPolicy?.Id ?? "";
  }

  async readPolicy(id: string) {
    const command = new GetResponseHeadersPolicyCommand({ Id: id });
    const found = await this.caller.call("read-headers-policy", () => this.caller.client.send(command));
    const config = found.ResponseHeadersPolicy?.ResponseHeadersPolicyConfig;
    return { version: found.ETag ?? "", name: config?.Name ?? "", config };
  }

  /** Whether a policy sets just these headers. */
  async setsHeaders(id: string, headers: Readonly<Record<string, string>>): Promise<boolean> {
    const { name, config } = await this.readPolicy(id);
    return isSameHeadersPolicy(config, toHeadersPolicy(name, headers));
  }

  /** Has a policy set just these headers. */
  async writePolicy(id: string, headers: Readonly<Record<string, string>>): Promise<void> {
    const { name, config, version } = await this.readPolicy(id);
    const wanted = toHeadersPolicy(name, headers);
    if (!isSameHeadersPolicy(config, wanted)) await this.updatePolicy(id, version, wanted);
  }

  /** Has a policy of headers bind pages by this content security policy, and all else stay; undefined: by none. */
  async bindPolicy(id: string, text: string | undefined): Promise<void> {
    const { config, version } = await this.readPolicy(id);
    if (config) await this.updatePolicy(id, version, withContentPolicy(config, text));
  }

  private async updatePolicy(
    id: string,
    version: string,
    config: ResponseHeadersPolicyConfig,
  ): Promise<void> {
    const command = new UpdateResponseHeadersPolicyCommand({
      ...{ Id: id, IfMatch: version, ResponseHeadersPolicyConfig: config },
    });
    await this.caller.call("change-headers-policy", () => this.caller.client.send(command));
  }
}

const toDraft = (summary: FunctionSummary | undefined, version = ""): Draft => ({
  arn: summary?.FunctionMetadata?.FunctionARN ?? "",
  version,
  config: summary?.FunctionConfig ?? CONFIG,
});

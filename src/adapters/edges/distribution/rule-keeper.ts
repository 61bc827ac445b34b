import { GetDistributionCommand } from "@aws-sdk/client-cloudfront";
import { toFunctionCode } from "../../../core/edge-rules/function-code.ts";
import type { EdgeRules, RuleMeans } from "../../../core/model/edge-rules.ts";
import type { Clock } from "../../../ports/clock.ts";
import type { EdgeRuleKeeper } from "../../../ports/edge-rules.ts";
import { ControlCaller, type ControlSettings } from "./caller.ts";
import { EdgeMeansControl } from "./edge-means.ts";

export interface RuleKeeperSettings extends ControlSettings {
  readonly id: string;
  readonly deployedWithin: number;
  /** The name of its function; absent: it has none. */
  readonly viewerFunction?: string | undefined;
  /** The id of its policy of headers; absent: it has none. */
  readonly headersPolicy?: string | undefined;
}

/** Rules as a distribution's viewer function and its policy of headers, over the interface by which both are set up. */
export function createRuleKeeper(settings: RuleKeeperSettings, clock: Clock): EdgeRuleKeeper {
  const { id, deployedWithin, viewerFunction, headersPolicy } = settings;
  const caller = new ControlCaller(settings, clock);
  const means = new EdgeMeansControl(caller);
  return {
    ...{ id, deployedWithin },
    async give(rules: EdgeRules): Promise<void> {
      if (viewerFunction !== undefined) await means.writeCode(viewerFunction, toFunctionCode(rules));
      if (headersPolicy !== undefined) await means.writePolicy(headersPolicy, rules.headers);
    },
    async readPolicy(): Promise<string | undefined> {
      if (headersPolicy === undefined) return undefined;
      const { config } = await means.readPolicy(headersPolicy);
      return config?.SecurityHeadersConfig?.ContentSecurityPolicy?.ContentSecurityPolicy;
    },
    async bindPolicy(text: string | undefined): Promise<void> {
      if (headersPolicy !== undefined) await means.bindPolicy(headersPolicy, text);
    },
    async isEverywhere(): Promise<boolean> {
      const command = new GetDistributionCommand({ Id: id });
      const found = await caller.call("read-distribution", () => caller.client.send(command));
      const isDeployed = found.Distribution?.Status === "Deployed";
      return isDeployed && (viewerFunction === undefined || (await means.isPublished(viewerFunction)));
    },
    async findOther(rules: EdgeRules): Promise<readonly RuleMeans[]> {
      const other: RuleMeans[] = [];
      if (viewerFunction !== undefined && (await means.readCode(viewerFunction)) !== toFunctionCode(rules))
        other.push("function");
      if (headersPolicy !== undefined && !(await means.setsHeaders(headersPolicy, rules.headers)))
        other.push("headers");
      return other;
    },
    close: () => {
      caller.close();
    },
  };
}

import type { ServerResponse } from "node:http";
import { ProtocolError } from "./failure.ts";
import { toXml } from "./xml.ts";

/** Keys that last for a while, with the token that comes along with them. */
export interface LentKeys {
  readonly accessKeyId: string;
  readonly secretAccessKey: string;
  readonly sessionToken: string;
}

const HOUR_MS = 3_600_000;

/**
 * The exchange of a web identity's token for keys (`AssumeRoleWithWebIdentity`), as CI services use it. Any token but an
 * empty one will do here.
 */
export function lendKeys(form: string, keys: LentKeys, response: ServerResponse): void {
  const asked = new URLSearchParams(form);
  if (asked.get("Action") !== "AssumeRoleWithWebIdentity" || (asked.get("WebIdentityToken") ?? "") === "")
    throw new ProtocolError(400, "InvalidIdentityToken", "No OpenIDConnect token was given.");
  const { accessKeyId, secretAccessKey, sessionToken } = keys;
  const xml = toXml("AssumeRoleWithWebIdentityResponse", {
    AssumeRoleWithWebIdentityResult: {
      AssumedRoleUser: { Arn: asked.get("RoleArn") ?? "", AssumedRoleId: "LENT:delivery" },
      Credentials: {
        AccessKeyId: accessKeyId,
        SecretAccessKey: secretAccessKey,
        SessionToken: sessionToken,
        Expiration: new Date(Date.now() + HOUR_MS).toISOString(),
      },
    },
  });
  response.writeHead(200, { "content-type": "text/xml" }).end(xml);
}

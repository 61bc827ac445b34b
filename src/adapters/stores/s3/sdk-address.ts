import { HeadObjectCommand } from "@aws-sdk/client-s3";
import { getEndpointFromInstructions } from "@smithy/core/endpoints";
import { StoreError } from "../../../ports/object-store.ts";
import { createClient, type S3Settings } from "./client.ts";

/** Where the requests to a bucket go, and what they are signed for. */
export interface BucketAddress {
  readonly protocol: string;
  readonly hostname: string;
  readonly port?: number | undefined;
  /** What stands before the key, without a slash at its end. */
  readonly path: string;
  readonly region: string;
  readonly service: string;
}

interface Scheme {
  readonly name?: string;
  readonly signingName?: string;
  readonly signingRegion?: string;
}

/**
 * Where the storage SDK would send the requests to a bucket: it knows the regions' own addresses, what the environment and
 * profiles say, and names that are more than names. Throws `StoreError`.
 */
export async function askSdk(settings: S3Settings): Promise<BucketAddress> {
  const client = createClient(settings);
  try {
    const config = client.config as never as { region(): Promise<string> };
    const region = await config.region();
    const { url, properties } = await getEndpointFromInstructions(
      { Bucket: settings.bucket, Key: "key" },
      HeadObjectCommand as never,
      config as never,
    );
    const [scheme = {}] = (properties?.authSchemes ?? []) as readonly Scheme[];
    if (scheme.name !== undefined && scheme.name !== "sigv4")
      throw new StoreError("unsupported", `it wants requests signed by ${scheme.name}`, {
        action: { do: "list" },
        code: scheme.name,
      });
    return {
      ...{ protocol: url.protocol, hostname: url.hostname, path: url.pathname.replace(/\/$/, "") },
      ...(url.port === "" ? {} : { port: Number(url.port) }),
      region: scheme.signingRegion ?? region,
      service: scheme.signingName ?? "s3",
    };
  } finally {
    client.destroy();
  }
}

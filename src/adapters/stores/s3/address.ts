import { isIP } from "node:net";
import type { S3Settings } from "./client.ts";
import type { BucketAddress } from "./sdk-address.ts";

/** Names that every store means as they stand; others (of access points) say more than a name. */
const PLAIN = /^[\w.-]+$/;
/** A bucket that can be part of a host name; with dots only where no certificate has to match. */
const HOST_LABEL = /^[a-z0-9][a-z0-9-]{1,61}[a-z0-9]$/;
const HOST_LABELS = /^[a-z0-9][a-z0-9.-]{1,61}[a-z0-9]$/;

/** Finds it once. Without an address in the settings the storage SDK knows it. Throws `StoreError`. */
export async function resolveAddress(settings: S3Settings): Promise<BucketAddress> {
  const { bucket, endpoint, region = "us-east-1", addressing } = settings;
  if (endpoint === undefined || !PLAIN.test(bucket))
    return (await import("./sdk-address.ts")).askSdk(settings);
  const { protocol, hostname, port, pathname } = new URL(endpoint);
  const base = pathname.replace(/\/$/, "");
  const canBeHost =
    addressing === "host" && isIP(hostname.replace(/[[\]]/g, "")) === 0 && isHost(bucket, protocol);
  return {
    protocol,
    hostname: canBeHost ? `${bucket}.${hostname}` : hostname,
    ...(port === "" ? {} : { port: Number(port) }),
    path: canBeHost ? base : `${base}/${encodeSegment(bucket)}`,
    region,
    service: "s3",
  };
}

const isHost = (bucket: string, protocol: string): boolean =>
  (protocol === "http:" ? HOST_LABELS : HOST_LABEL).test(bucket) && !/\.\.|\.-|-\./.test(bucket);

/** One part of a path, as signatures want it encoded (RFC 3986 §2.3: all but unreserved letters). */
const encodeSegment = (text: string): string =>
  encodeURIComponent(text).replace(
    /[!'()*]/g,
    (letter) => `%${letter.charCodeAt(0).toString(16).toUpperCase()}`,
  );

/** A key as a path: its slashes stay. */
export const encodeKey = (key: string): string => key.split("/").map(encodeSegment).join("/");

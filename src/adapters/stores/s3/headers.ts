import type { ObjectHeaders } from "../../../core/model/parcel.ts";

/** The headers that an object can carry, and the names of the client's parameters for them. */
const PARAMETERS = [
  ["content-type", "ContentType"],
  ["cache-control", "CacheControl"],
  ["content-encoding", "ContentEncoding"],
  ["content-disposition", "ContentDisposition"],
  ["content-language", "ContentLanguage"],
  ["x-amz-website-redirect-location", "WebsiteRedirectLocation"],
] as const;

const METADATA = "x-amz-meta-";

/** An object's headers as the client's parameters; `x-amz-meta-…` becomes metadata. */
export function toParameters(headers: ObjectHeaders): Record<string, unknown> {
  const metadata = Object.entries(headers).filter(([name]) => name.startsWith(METADATA));
  return {
    ...Object.fromEntries(PARAMETERS.map(([name, parameter]) => [parameter, headers[name]])),
    ...(headers.expires === undefined ? {} : { Expires: new Date(headers.expires) }),
    ...(metadata.length === 0
      ? {}
      : {
          Metadata: Object.fromEntries(metadata.map(([name, value]) => [name.slice(METADATA.length), value])),
        }),
  };
}

/** The same headers out of an answer of the client. */
export function fromParameters(answer: object): ObjectHeaders {
  const found = answer as Record<string, unknown> & {
    Metadata?: Record<string, string>;
    ExpiresString?: string;
  };
  const headers: Record<string, string> = {};
  for (const [name, parameter] of PARAMETERS) {
    const value = found[parameter];
    if (typeof value === "string" && value !== "") headers[name] = value;
  }
  if (found.ExpiresString !== undefined) headers.expires = found.ExpiresString;
  for (const [name, value] of Object.entries(found.Metadata ?? {})) headers[METADATA + name] = value;
  return headers;
}

const CARRIED: ReadonlySet<string> = new Set(PARAMETERS.map(([name]) => name));

/** An object's headers as a request carries them. */
export function toFields(headers: ObjectHeaders): Record<string, string> {
  const fields: Record<string, string> = {};
  for (const [name, value] of Object.entries(headers))
    if (name === "expires") fields.expires = new Date(value).toUTCString();
    else if (CARRIED.has(name) || name.startsWith(METADATA)) fields[name] = value;
  return fields;
}

/** The same headers out of those of an answer, which says more. */
export function fromFields(fields: Readonly<Record<string, string>>): ObjectHeaders {
  const headers: Record<string, string> = {};
  for (const [name, value] of Object.entries(fields)) {
    const isCarried = CARRIED.has(name) && value !== "";
    if (isCarried || name === "expires" || name.startsWith(METADATA)) headers[name] = value;
  }
  return headers;
}

/** An ETag without its quotes and its weakness mark (RFC 9110 §8.8.3). */
export const unquoted = (etag: string | undefined): string => (etag ?? "").replace(/^(W\/)?"|"$/g, "");

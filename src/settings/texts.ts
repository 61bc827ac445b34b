import * as z from "zod";
import { countChoices, MOST_CHOICES } from "../core/model/glob.ts";
import { isSiteKey, LONGEST_KEY, LONGEST_PREFIX } from "../core/model/names.ts";
import { DURATION, MOST_SECONDS, parseSeconds } from "./units.ts";

/**
 * Texts of the settings that go into requests and headers. What a request can't carry is found here, and not by a store's
 * client in the middle of a delivery.
 */
export const text = z
  .string()
  .min(1, "some text")
  .max(4096, "at most 4,096 letters")
  .regex(/^[^\p{Cc}]*$/u, "a text without control characters");

/** A duration in seconds; one that is longer than every cache counts (RFC 9111 §1.2.2) is a mistake. */
export const duration = z
  .string()
  .regex(DURATION, "a duration such as 90s, 10m, 2h or 1d")
  .transform((length) => Math.round(parseSeconds(length)))
  .refine((seconds) => seconds <= MOST_SECONDS, { error: "a duration is 68y at most" });

/** A duration that the tool itself waits for. */
export const wait = (least: number, most: number, words: string) =>
  duration.refine((seconds) => seconds >= least && seconds <= most, { error: words });

/** Letters that a header's value may hold (RFC 9110 §5.5); beyond ASCII, signatures and stores differ. */
export const headerValue = z
  .string()
  .regex(
    /^([\x21-\x7e]([\t\x20-\x7e]*[\x21-\x7e])?)?$/,
    "letters that a header can carry: ASCII, on one line, no space at either end (others in percent form, RFC 8187)",
  );
/** RFC 9110 §5.6.2. */
export const headerName = z.string().regex(/^[!#$%&'*+.^_`|~\w-]{1,200}$/, "the name of a header");
/** RFC 9110 §8.3.1. */
export const mediaType = z
  .string()
  .max(255, "at most 255 letters")
  .regex(/^[\w.+-]+\/[\w.+-]+(;[\x20-\x7e]*)?$/, "a media type such as application/json");

const URL_SHAPE = /^https?:\/\/[^/?#\s@\\]+(\/[^?#\s\\]*)?$/;
/** An address of a server, without a name, a password, a query or a fragment. */
export const httpUrl = z
  .string()
  .max(2048, "at most 2,048 letters")
  .regex(URL_SHAPE, "an address that starts with http:// or https://, without a name or password in it")
  .refine((url) => isUrl(url), { error: "its host or port can't be read" });

/** An address that requests are sent to; `{address}` in it stands for what they are about. */
export const requestUrl = z
  .string()
  .max(2048, "at most 2,048 letters")
  .regex(
    /^https?:\/\/[^/?#\s@\\{}]+(\/[^#\s\\]*)?$/,
    "an address that starts with http:// or https://, without a name or password in it",
  )
  .refine((url) => isUrl(url), { error: "its host or port can't be read" });
/** RFC 9110 §9.1. */
export const httpMethod = z.string().regex(/^[A-Z]{2,20}$/, "an HTTP method such as POST");

function isUrl(url: string): boolean {
  return /^[^\p{Cc}]*$/u.test(url) && URL.canParse(url);
}

/** Parts of names that requests are sent to. */
export const bucketName = z
  .string()
  .regex(/^[\w.:/-]{1,255}$/, "the name of a bucket")
  .regex(
    /^(?!.*--x-s3$)/,
    "a bucket that lists its objects in order, which those of one zone (--x-s3) do not",
  );
export const region = z.string().regex(/^[\w-]{1,64}$/, "the name of a region, such as eu-west-1");
export const hostName = z
  .string()
  .regex(/^[\w.-]+(:\d{1,5})?$|^\[[\da-f:]+\](:\d{1,5})?$/i, "a host such as www.example.com");

/** Parts that browsers or file systems climb by, or that are the tool's own. */
const UNFIT_PREFIX = /^\/|\/\/|(^|\/)(\.{1,2}|\.courier)(\/|$)|[\p{Cc}\\*]/iu;
export const bucketPrefix = z
  .string()
  .refine((prefix) => !UNFIT_PREFIX.test(prefix), {
    error: "a folder of it is empty, is . or .. or .courier, or holds \\ or *",
  })
  .refine((prefix) => new TextEncoder().encode(prefix).length < LONGEST_PREFIX, {
    error: `it has ${LONGEST_PREFIX} bytes or more`,
  })
  .transform((prefix) => (prefix === "" || prefix.endsWith("/") ? prefix : `${prefix}/`));

/** A prefix of previews: a folder that holds nothing else, and in it one for each. */
export const previewPrefix = z
  .string()
  .max(400, "at most 400 letters")
  .regex(/^[^{}]+\/\{name\}\/?$/, "a folder for all previews with {name} in it, such as previews/{name}/")
  .refine((prefix) => !UNFIT_PREFIX.test(prefix), {
    error: "a folder of it is empty, is . or .. or .courier, or holds \\ or *",
  })
  .transform((prefix) => (prefix.endsWith("/") ? prefix : `${prefix}/`));

/** An address of previews. */
export const previewAddress = z
  .string()
  .regex(/^[^{}]*\{name\}[^{}]*$/, "an address with {name} in it, once")
  .refine((address) => httpUrl.safeParse(address.replace("{name}", "a")).success, {
    error: "an address that starts with http:// or https://, with {name} in its host or its path",
  });

const LONGEST_GLOB = 1000;
export const glob = text
  .max(LONGEST_GLOB, "at most 1,000 letters")
  // All checks are made, also of what is too long: counting its choices would take long itself.
  .refine((pattern) => pattern.length > LONGEST_GLOB || countChoices(pattern) <= MOST_CHOICES, {
    error: `it stands for more than ${MOST_CHOICES} choices`,
  })
  // Before a sign of patterns it takes the sign's meaning away; no name in a build has a star, so that is not meant there.
  .refine((pattern) => !/\\(?![[\]{}()!?+@|])/.test(pattern), {
    error: "folders are separated by /, on Windows, too",
  })
  .describe("a glob over the build's paths: * within a folder, ** across folders");

const MOST_ADDRESS = 2048;
const NO_ADDRESS = /[\s\p{Cc}\\]/u;

/** Letters beyond ASCII, and those that no URL has, in percent form, as browsers send them. */
const encoded = (address: string): string =>
  address.replace(/[^\x21-\x7e]+|["<>]/g, (letters) => encodeURIComponent(letters));

/** An address of the site, percent-encoded. */
export const sitePath = z
  .string()
  .max(MOST_ADDRESS, "at most 2,048 letters")
  .regex(/^\//, "an address that starts with /")
  .refine(isSitePath, {
    error:
      "this is no address of the site: its percent-encoding is broken, it has spaces, or it is below .courier/",
  })
  .transform(encoded);

/** The path of a file in the build: `config/app.json`. */
export const sitePathName = z
  .string()
  .max(LONGEST_KEY)
  .refine(
    (path) => isSiteKey(path) && !/^\/|\/$|\/\/|\\/.test(path) && path.isWellFormed(),
    "the path of a file in the build, such as config.json",
  );

function isSitePath(address: string): boolean {
  const key = decode(address.replace(/^\//, "").replace(/\*$/, "").replace(/\?.*$/s, ""));
  return !NO_ADDRESS.test(address) && key !== undefined && (key === "" || isSiteKey(key.replace(/\/$/, "")));
}

function decode(address: string): string | undefined {
  try {
    return address.isWellFormed() ? decodeURIComponent(address) : undefined;
  } catch {
    return undefined;
  }
}

/** Where a redirect leads to: an address of the site, or one elsewhere. */
export const target = z
  .string()
  .max(MOST_ADDRESS, "at most 2,048 letters")
  .regex(/^(\/|https?:\/\/)/, "an address that starts with / or http")
  .refine(isTarget, {
    error:
      "browsers can't be sent there: it has spaces, a name or a password, or a host and port that can't be read",
  })
  .transform(encoded);

function isTarget(address: string): boolean {
  if (NO_ADDRESS.test(address) || !address.isWellFormed()) return false;
  if (address.startsWith("/")) return decode(address) !== undefined && !address.startsWith("//");
  const plain = address.replace(/\*$/, "");
  if (!URL.canParse(plain)) return false;
  const { username, password } = new URL(plain);
  return username === "" && password === "";
}

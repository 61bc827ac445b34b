import { bucketName, bucketPrefix, httpUrl, region, text } from "./texts.ts";

/** What is wrong with an answer; undefined: nothing. */
export type CheckAnswer = (answer: string) => string | undefined;

interface Schema {
  safeParse(value: unknown): {
    readonly success: boolean;
    readonly error?: { readonly issues: readonly { readonly message: string }[] } | undefined;
  };
}

const by =
  (schema: Schema): CheckAnswer =>
  (answer) => {
    const [issue] = schema.safeParse(answer).error?.issues ?? [];
    return issue && `should be ${issue.message}`;
  };

/** What buckets of the cloud are called; other stores take other names as well. */
const CLOUD_BUCKET = /^[a-z0-9][a-z0-9.-]{1,61}[a-z0-9]$/;
/** What its regions are called. */
const CLOUD_REGION = /^[a-z]{2,3}(-[a-z]+)+-\d{1,2}$/;

/** Each answer of `setup` is checked as it comes. `isCloud`: the store is the cloud's own, and its rules count. */
export const ANSWER_CHECKS = {
  text: by(text),
  url: (answer: string) => (answer === "" ? undefined : by(httpUrl)(answer)),
  prefix: by(bucketPrefix),
  endpoint: by(httpUrl),
  bucket:
    (isCloud: boolean): CheckAnswer =>
    (answer) =>
      isCloud && !CLOUD_BUCKET.test(answer)
        ? "should be 3 to 63 small letters, digits, dots and hyphens, as buckets are called"
        : by(bucketName)(answer),
  region:
    (isCloud: boolean): CheckAnswer =>
    (answer) =>
      isCloud && !CLOUD_REGION.test(answer)
        ? "should be the name of a region, such as eu-west-1"
        : by(region)(answer),
  edge: (answer: string) =>
    /^(none|distribution(:[\w-]{1,128})?)?$/.test(answer) ||
    (answer.startsWith("purge:") && by(httpUrl)(answer.slice("purge:".length)) === undefined)
      ? undefined
      : "should be none, distribution (provision makes it), distribution:ID, or purge:URL",
  yesOrNo: (answer: string) => (/^(y|yes|n|no)$/i.test(answer) ? undefined : "should be yes or no"),
} as const;

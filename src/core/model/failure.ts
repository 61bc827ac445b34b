/** Every way in which a run can end without its result. Codes are stable; what is said of them stands in `src/words`. */
export const FAILURE_CODES = [
  "usage",
  "settings-missing",
  "settings-unreadable",
  "settings-invalid",
  "settings-later",
  "output-failed",
  "no-such-file",
  "destination-unknown",
  "destination-unclear",
  "no-previews",
  "no-such-preview",
  "refused",
  "no-build",
  "archive-refused",
  "link-leaves-build",
  "links-multiply",
  "build-unreadable",
  "added-unfit",
  "answer-needed",
  "answered-no",
  "store-unreachable",
  "no-such-bucket",
  "no-folder",
  "folder-denied",
  "folder-failed",
  "wrong-region",
  "clock-skew",
  "store-failed",
  "build-changed",
  "copy-differs",
  "record-unreadable",
  "record-lost",
  "changed-meanwhile",
  "not-visible",
  "no-such-content",
  "nothing-to-repair",
  "nothing-delivered",
  "no-edge",
  "no-url",
  "no-match",
  "no-such-debt",
  "not-an-address",
  "no-such-release",
  "preview-changed",
  "no-copies-between",
  "content-gone",
  "content-out-of-reach",
  "versions-locked",
  "versions-denied",
  "bucket-taken",
  "unsupported",
  "policy-taken-back",
  "provision-wrong",
  "provision-lost",
  "port-taken",
  "cannot-listen",
  "demo-failed",
  "held",
  "hold-lost",
  "hold-unreadable",
  "moved-meanwhile",
  "no-credentials",
  "credentials-refused",
  "denied",
  "out-of-memory",
  "interrupted",
  "terminated",
  "bug",
] as const;
export type FailureCode = (typeof FAILURE_CODES)[number];

/** What is known of a failure: names and numbers, or data of the core that words are made of. */
export type FailureData = Readonly<Record<string, unknown>>;

/** An error that a user can act on. */
export class OperatorError extends Error {
  /** @param details shown under --verbose and in JSON: status, request id, … */
  constructor(
    readonly code: FailureCode,
    readonly data: FailureData = {},
    readonly details: FailureData = {},
    cause?: unknown,
  ) {
    super(code, { cause });
    this.name = "OperatorError";
  }
}

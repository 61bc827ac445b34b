/**
 * Every way in which a run can end without its result: a stable code, the exit code (docs/errors.md is made from this
 * table), what is said, and what to do next. Names in braces are filled in from the failure's data.
 */
export interface FailureText {
  readonly exit: number;
  readonly message: string;
  readonly hint: string;
}

const SAFE_TO_REPEAT = "the same call can be made again";

export const FAILURES = {
  // The call and the settings (exit 2).
  usage: { exit: 2, message: "{reason}", hint: "rcourier {command} --help shows what there is" },
  "settings-missing": {
    exit: 2,
    message: "no settings file: looked for {file}",
    hint: "write courier.yaml beside your package.json, or name the file with --settings",
  },
  "settings-invalid": {
    exit: 2,
    message: "the settings are wrong\n{problems}",
    hint: "mend the lines above; nothing was read or written",
  },
  "settings-later": {
    exit: 2,
    message: "{what} is known, but this version can't do it yet ({where})",
    hint: "leave it out for now",
  },
  "no-such-file": { exit: 2, message: "the build at {folder} has no file {name}", hint: "{nearest}" },
  "destination-unknown": {
    exit: 2,
    message: "there is no destination named {name}",
    hint: "the settings have: {names}",
  },
  "destination-unclear": {
    exit: 2,
    message: "which destination? the settings have several, none marked default",
    hint: "say --to with one of: {names}",
  },

  // Guards and answers (exit 3).
  refused: {
    exit: 3,
    message: "refused, nothing was written\n{problems}",
    hint: "mend what is listed, or lift a check that you know to be wrong here: --allow CODE",
  },
  "no-build": {
    exit: 3,
    message: "there is no build at {folder}",
    hint: "run your build first, or say where it is: --build FOLDER",
  },
  "archive-refused": {
    exit: 3,
    message: "the archive {file} is refused: {reason}",
    hint: "pack the build anew, as plain files; nothing was written",
  },
  "link-leaves-build": {
    exit: 3,
    message: "{path} is a link that leads out of the build, to {target}",
    hint: "put the file itself there, or leave it out with build.exclude",
  },
  "answer-needed": {
    exit: 3,
    message:
      "{destination} asks before the first write, and there is no terminal to ask at; nothing was written",
    hint: "say yes in the call: --yes",
  },
  "answered-no": {
    exit: 3,
    message: "stopped: the answer was no; nothing was written",
    hint: SAFE_TO_REPEAT,
  },

  // Stores and edges (exit 1).
  "store-unreachable": {
    exit: 1,
    message: "{action}: no answer from the store at {endpoint} ({cause})",
    hint: "is it running, and are address and port right? {written}",
  },
  "no-such-bucket": {
    exit: 1,
    message: "{action}: there is no bucket {bucket} at {endpoint}",
    hint: "check the name (store.bucket) and the region; {written}",
  },
  "wrong-region": {
    exit: 1,
    message: "{action}: the bucket {bucket} is in another region than {region}",
    hint: "{region-hint}",
  },
  "clock-skew": {
    exit: 1,
    message: "{action}: this machine's clock differs too much from the store's",
    hint: "set the clock; {written}",
  },
  "store-failed": {
    exit: 1,
    message: "{action}: the store answered {status} {code}",
    hint: `${SAFE_TO_REPEAT}; {written}`,
  },
  "build-changed": {
    exit: 1,
    message: "{path} changed while it was being delivered",
    hint: `let the build finish, then make the same call again; {written}`,
  },
  "copy-differs": {
    exit: 1,
    message: "the store's copy of {from} is not what was expected",
    hint: `${SAFE_TO_REPEAT}; {written}`,
  },
  "record-unreadable": {
    exit: 1,
    message: "{key} can't be read: {cause}",
    hint: "nothing was written; a release is never recorded over one that can't be read",
  },
  "record-lost": {
    exit: 1,
    message: "there are waybills at {destination}, but no {key}",
    hint: "nothing was written; this is not a first delivery",
  },
  "port-taken": { exit: 1, message: "port {port} is taken", hint: "choose another, or 0 for any free one" },
  "demo-failed": {
    exit: 1,
    message: "the demo did not see what it should: {reason}",
    hint: "please report this",
  },

  // Rights and others.
  owed: {
    exit: 5,
    message: "delivered, but {edges} has not confirmed yet",
    hint: "the same call goes on from there",
  },
  "moved-meanwhile": {
    exit: 6,
    message: "another delivery made release {release} meanwhile",
    hint: "make the same call again: it starts from what stands there now",
  },
  "no-credentials": {
    exit: 7,
    message: "{action}: no credentials were found",
    hint: "set them in the environment or a profile (store.profile); {written}",
  },
  "credentials-refused": {
    exit: 7,
    message: "{action}: the store does not accept these credentials ({code})",
    hint: "check key and secret, and whether they have expired; {written}",
  },
  denied: {
    exit: 7,
    message: "{action}: not allowed",
    hint: "the delivering identity lacks this right; {written}",
  },
  interrupted: { exit: 130, message: "interrupted; nothing was written", hint: SAFE_TO_REPEAT },
  bug: { exit: 70, message: "a fault of ours: {cause}", hint: "please report it, with what stands above" },
} as const satisfies Record<string, FailureText>;

export type FailureCode = keyof typeof FAILURES;
export type FailureData = Readonly<Record<string, string | number>>;

/** An error that a user can act on. `code` is stable; texts are not. */
export class OperatorError extends Error {
  constructor(
    readonly code: FailureCode,
    readonly data: FailureData = {},
    /** Shown under --verbose and in JSON: status, request id, … */
    readonly details: FailureData = {},
    cause?: unknown,
  ) {
    super(fillIn(FAILURES[code].message, data), { cause });
    this.name = "OperatorError";
  }

  get exit(): number {
    return FAILURES[this.code].exit;
  }

  get hint(): string {
    return fillIn(FAILURES[this.code].hint, this.data);
  }
}

/** Puts data into a text; a name without data is left out together with what joins it. */
function fillIn(text: string, data: FailureData): string {
  const filled = text.replace(/\{([a-z-]+)\}/g, (_, name: string) => String(data[name] ?? ""));
  return filled.replace(/[;,:]? *$/, "").replace(/^ *[;,] */, "");
}

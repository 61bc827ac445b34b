import { canLift } from "../core/delivery/guards.ts";
import type { UnreadablePart } from "../core/model/build.ts";
import type { FilePlace, Mistake } from "../core/model/mistake.ts";
import type { UnreadableCause } from "../core/history/waybill.ts";
import type { FailureCode, FailureData } from "../core/model/failure.ts";
import type { Hold } from "../core/model/hold.ts";
import type { ObjectKey } from "../core/model/names.ts";
import type { ControlAction } from "../core/model/distribution.ts";
import type { Problem } from "../core/model/problem.ts";
import type { StoreAction } from "../core/model/store-action.ts";
import type { TlsFault } from "../core/model/tls-fault.ts";
import type { Unseen } from "../core/model/warning.ts";
import { findNearest } from "../core/model/nearest.ts";
import type { NotAnAddress } from "../core/edges/hand-invalidation.ts";
import { showAction, showRightFor } from "./actions.ts";
import type { ProvisionStep, WrongRead } from "../core/bucket/provision.ts";
import { showControlAction, showControlRight } from "./distribution.ts";
import { showWrongRead, wordsOfStep } from "./provision.ts";
import { showRefusals } from "./problems.ts";
import { counted, listed } from "./text.ts";
import { wordsOfTls } from "./tls.ts";
import { showHolder, showUnseen } from "./warnings.ts";

const UNREADABLE: Readonly<Record<UnreadableCause["code"], (format: string) => string>> = {
  empty: () => "it is empty",
  "cut-off": () => "it is cut off",
  damaged: () => "it is damaged",
  "other-format": (format) => `it is of the format ${format}, which this version does not know`,
  "damaged-or-later": () => "it is damaged or of another version",
  gone: () => "it is gone",
  "not-recorded": () => "it is not the one that was recorded",
  "too-large": () => "it is larger than a record can be",
  "left-so": () => "a run that died left it so",
};

const UNREADABLE_PARTS: Readonly<Record<UnreadablePart, (code: string) => string>> = {
  "not-utf8": () => "its name is not UTF-8, so no address can be made of it",
  denied: () => "this user may not read it",
  "too-long": () => "its path is longer than this system allows",
  failed: (code) => `the system answers ${code}`,
};

/** What a system says of a file (errno(3)), in words. */
const SYSTEM_CAUSES: Readonly<Record<string, string>> = {
  ENOSPC: "the disk is full",
  EDQUOT: "this user may not use more of the disk",
  EFBIG: "it would be larger than this system allows",
  EROFS: "that disk can only be read",
  EACCES: "this user may not do that there",
  EPERM: "this user may not do that there",
  ENOENT: "there is no such file or folder",
  ENOTDIR: "there is a file where a folder should be",
  EISDIR: "it is a folder",
  EEXIST: "something else is there already",
  ELOOP: "its links lead in a circle",
  EMFILE: "too many files are open",
  ENFILE: "too many files are open",
  EBUSY: "another program has it open",
  EIO: "the disk or the terminal fails",
};

const showSystemCause = ({ cause }: { readonly cause: string }): FailureData => ({
  why:
    SYSTEM_CAUSES[cause] === undefined ? `the system answers ${cause}` : `${SYSTEM_CAUSES[cause]} (${cause})`,
});

const SETTINGS_UNREADABLE: Readonly<Record<string, string>> = {
  "no-file": "it is no file (a folder, a pipe or a device)",
  "too-large": "it is larger than 4 MB",
  "not-utf8": "it is not UTF-8: save it as that",
  dangling: "it is a link that leads to nothing",
  EACCES: "this user may not read it",
  EISDIR: "it is a folder",
};

type AddedFault = "missing" | "no-file" | "unreadable" | "never-ship";
const ADDED_FAULTS: Readonly<Record<AddedFault, (code: string) => string>> = {
  missing: () => "it is not there",
  "no-file": () => "it is no file",
  unreadable: (code) => `it can't be read (${code})`,
  "never-ship": () => "files of that name are never delivered",
};

const NOT_AN_ADDRESS: Readonly<Record<NotAnAddress, (basePath: string) => string>> = {
  star: () => "a * may only be its last letter",
  query: () => "leave out the query: copies under queries are forgotten with it",
  outside: (basePath) => `addresses of this destination begin with ${basePath}`,
  encoding: () => "its percent-encoding is broken",
};

/** A mistake of the settings for machines. */
interface ToldMistake extends Partial<FilePlace> {
  readonly path: string;
  readonly message: string;
}

function tellMistake({ path, what, place }: Mistake): ToldMistake {
  const shown = path.map((part) => (typeof part === "number" ? `[${part}]` : `.${part}`)).join("");
  const message =
    typeof what === "string"
      ? what
      : `is ${showSpan(what.forSeconds)}, but an edge or a browser may serve a page for ${showSpan(what.pageSeconds)}: set it to ${toSetting(what.pageSeconds)} or more`;
  return { ...place, path: shown.replace(/^\./, ""), message };
}

/** A span as settings write it: 3600 is 1h. */
const toSetting = (seconds: number): string =>
  seconds % 86_400 === 0
    ? `${seconds / 86_400}d`
    : seconds % 3600 === 0
      ? `${seconds / 3600}h`
      : seconds % 60 === 0
        ? `${seconds / 60}m`
        : `${seconds}s`;

/** The same for people: 1 h. */
const showSpan = (seconds: number): string =>
  toSetting(seconds)
    .replace(/(?=[a-z])/, " ")
    .replace(/m$/, "min");

const showMistake = ({ file, line, column, path, message }: ToldMistake): string =>
  `  ${file === undefined ? "" : `${file}:${line ?? 1}:${column ?? 1}: `}${path === "" ? "" : `${path}: `}${message}`;

/** How a guard is lifted; nothing where none of these may be. */
function showLift(codes: readonly string[]): string {
  const [first, ...others] = codes.filter(canLift);
  if (first === undefined) return "";
  const one = others.length > 0 ? "one of them" : "this guard";
  return `; or, if ${one} is wrong about this build, lift it: --allow ${first}`;
}

/** Words in the place of what the core tells by codes. */
export const DATA_WORDS: { readonly [Code in FailureCode]?: (data: never) => FailureData } = {
  "answer-needed": ({ yes = "--yes" }: { readonly yes?: string }) => ({ yes }),
  "output-failed": showSystemCause,
  "output-lost": showSystemCause,
  "temporary-failed": showSystemCause,
  "file-failed": showSystemCause,
  refused: ({ problems }: { readonly problems: readonly Problem[] }) => {
    const codes = [...new Set(problems.map(({ code }) => code))];
    return {
      problems: showRefusals(problems),
      guards: counted(codes.length, "guard"),
      them: problems.length === 1 ? "this" : "these",
      "or-lift": showLift(codes),
    };
  },
  "destination-unknown": ({ name, names }: { readonly name: string; readonly names: string }) => {
    const nearest = findNearest(name, names.split(", "));
    const others = `use one of these: ${names}`;
    return {
      "nearest-of-names": nearest === undefined ? others : `did you mean --to ${nearest}? Or ${others}`,
    };
  },
  "settings-unreadable": ({ why }: { readonly why: string }) => ({
    why: SETTINGS_UNREADABLE[why] ?? `the system answers ${why}`,
  }),
  "build-unreadable": ({ why, code }: { readonly why: UnreadablePart; readonly code: string }) => ({
    why: UNREADABLE_PARTS[why](code),
  }),
  "added-unfit": ({ why, code = "" }: { readonly why: AddedFault; readonly code?: string }) => ({
    why: ADDED_FAULTS[why](code),
  }),
  "record-unreadable": ({ cause }: { readonly cause: UnreadableCause }) => ({
    cause: UNREADABLE[cause.code](cause.code === "other-format" ? cause.format : ""),
  }),
  "not-an-address": ({ reason, basePath }: { readonly reason: NotAnAddress; readonly basePath: string }) => ({
    reason: NOT_AN_ADDRESS[reason](basePath),
    basePath: undefined,
  }),
  "content-gone": ({ keys }: { readonly keys: readonly ObjectKey[] }) => ({ keys: `  ${listed(keys)}` }),
  "no-such-file": ({
    folder,
    name,
    nearest,
    led,
  }: {
    readonly folder: string;
    readonly name: string;
    readonly nearest?: string | undefined;
    readonly led?: string | undefined;
  }) => ({
    missing: name.startsWith("/")
      ? `no file of the build at ${folder} answers at ${name}`
      : `the build at ${folder} has no file ${name}`,
    nearest:
      led !== undefined
        ? `the edge answers it, because of a redirect in the settings: ${led}`
        : nearest === undefined
          ? "rcourier survey --all lists them"
          : `did you mean ${nearest}?`,
  }),
  "settings-invalid": ({ mistakes }: { readonly mistakes: readonly Mistake[] }) => {
    const told = mistakes.map(tellMistake);
    const counts = counted(told.length, "mistake");
    return { "mistakes-counted": counts, problems: told.map(showMistake).join("\n"), mistakes: told };
  },
  held: ({ hold, queued }: { readonly hold: Hold | undefined; readonly queued?: number | undefined }) => ({
    ...{ hold: undefined, queued: undefined, who: showHolder(hold) },
    waiting:
      queued === undefined || queued === 0
        ? "to wait for it, add --queue 5m"
        : `it was still running after ${showSpan(queued)}: wait longer with --queue`,
  }),
  "not-visible": ({ unseen }: { readonly unseen: Unseen }) => ({
    unseen: undefined,
    message: showUnseen(unseen),
  }),
  "policy-taken-back": ({ wrong }: { readonly wrong: WrongRead }) => ({ wrong: showWrongRead(wrong) }),
  "provision-wrong": ({ wrong }: { readonly wrong: WrongRead }) => ({ wrong: showWrongRead(wrong) }),
  "provision-lost": ({ steps }: { readonly steps: readonly ProvisionStep[] }) => ({
    steps: steps.map((step) => wordsOfStep(step).what).join("; "),
  }),
  "tls-failed": ({ tls }: { readonly tls: TlsFault }) => ({ ...wordsOfTls(tls) }),
  "no-credentials": ({ control }: { readonly control?: ControlAction }) =>
    control === undefined ? {} : { control: undefined, action: `could not ${showControlAction(control)}` },
  "distribution-failed": ({ action }: { readonly action: ControlAction }) => ({
    action: showControlAction(action),
  }),
  "distribution-denied": ({ action }: { readonly action: ControlAction }) => ({
    action: showControlAction(action),
    right: showControlRight(action),
  }),
  "versions-denied": ({ action }: { readonly action: StoreAction }) => ({
    action: `could not ${showAction(action)}`,
    right: showRightFor(action),
  }),
};

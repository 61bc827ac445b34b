import type { Problem, ProblemCode, ProblemFacts, Secret, UnfitName } from "../core/model/problem.ts";
import { counted, grouped, listed, placeOf } from "./text.ts";

/** What is wrong, and what to do about it. */
export interface ProblemWords {
  readonly message: string;
  readonly hint?: string;
}

type Words<Code extends ProblemCode> = (facts: ProblemFacts[Code], path: string) => ProblemWords;

const SECRET_NAMES: Readonly<Record<Secret, string>> = {
  "private-key": "a private key",
  "access-key": "an access key with its secret",
  "secret-access-key": "a secret access key",
};

const UNFIT: Readonly<Record<UnfitName, (most: number) => string>> = {
  "control-character": () => "the name has a control character, which no address can have",
  backslash: () => "the name has a backslash, which browsers turn into a slash",
  "windows-name": () => "Windows allows no file of that name, and the destination is a folder on Windows",
  star: () => "the name has a *, which edges take for a pattern",
  "not-unicode": () => "the name is not valid Unicode",
  "long-key": (most) => `the name is longer than ${most} bytes`,
  "file-and-folder": () => "is a file where other files need a folder of that name",
  "long-part": (most) => `a part of the name is longer than ${most} bytes`,
};

const ruleWords = (isPattern: boolean, status: number): string =>
  isPattern ? "a rule for many addresses" : `a redirect with the status ${status}`;

/** How two names differ that may look alike. */
const otherSpelling = (path: string, other: string): string =>
  path.normalize("NFC") === other.normalize("NFC")
    ? `looks like ${other}, but its accents are stored in another way (${bytesOf(path)} against ${bytesOf(other)})`
    : `differs from ${other} only in case or spelling`;

/** The first letter with an accent, as the bytes in UTF-8 that the name has for it. */
function bytesOf(name: string): string {
  const letter = Array.from(name.normalize("NFC")).find((one) => one.normalize("NFD") !== one) ?? "";
  const shape = name.includes(letter) ? letter : letter.normalize("NFD");
  return [...new TextEncoder().encode(shape)].map((byte) => byte.toString(16).toUpperCase()).join(" ");
}

const showOtherForm = (file: string): string =>
  `the build has ${file}, which looks the same but is another name, because its accents are stored in another way (Unicode normal forms). Rename the file, or copy its name into the reference`;

const WORDS: { readonly [Code in ProblemCode]: Words<Code> } = {
  "empty-build": ({ folder }) => ({
    message: `${folder} has no file to deliver`,
    hint: "did the build write somewhere else?",
  }),
  "wrong-folder": (facts) =>
    facts.looks === "sources"
      ? {
          message: `${facts.folder} looks like the sources of a site, not like its build`,
          hint:
            facts.built === undefined
              ? "name the folder that the build writes"
              : `say --build ${facts.folder}/${facts.built}`,
        }
      : {
          message: `the entry page is one folder further down, in ${facts.folder}/${facts.inner}`,
          hint: `say --build ${facts.folder}/${facts.inner}`,
        },
  "no-entry": ({ entry }) => ({
    message: `the build has no entry page ${entry}`,
    hint: "name the build's first page in build.entry",
  }),
  "bare-link": ({ addresses }) => ({
    message: `pages link to ${counted(addresses.length, "address", "addresses")} without an ending, such as ${listed(addresses, 3)}, where nothing would answer`,
    hint: "add the bare form to addresses.pages: [file, folder, bare], unless the endpoint answers them by itself",
  }),
  "dead-link": ({ address, asForm }) => ({
    message: `links to ${address}, where there is no page`,
    ...(asForm !== undefined && { hint: showOtherForm(asForm) }),
  }),
  "missing-asset": ({ address, isKnown, asForm }) => ({
    message: `needs ${address}, which is not in the build${isKnown ? " (as in the release that is live)" : ""}`,
    hint:
      asForm === undefined
        ? "delete the build folder and build again, or remove the reference"
        : showOtherForm(asForm),
  }),
  "wrong-base": ({ builtFor, deliveredAt, example, isPreview = false }) => ({
    message: `the build was made for ${builtFor}, but addresses of this destination begin with ${deliveredAt}: nothing answers at ${example}`,
    hint: `build it with ${deliveredAt} as its base path, or ${isPreview ? "give previews a host name of their own (previews.address)" : `let the destination's url end with ${builtFor}`}`,
  }),
  "robots-out-of-reach": ({ basePath }) => ({
    message: `search engines can find ${basePath}: a robots.txt works only at the root of a host`,
    hint: "let the edge set X-Robots-Tag: noindex there, or give it a host name of its own",
  }),
  "case-clash": ({ other }, path) => ({ message: otherSpelling(path, other), hint: "rename one of them" }),
  "unfit-name": ({ why, most = 0 }) => ({ message: UNFIT[why](most), hint: "rename it" }),
  "alias-clash": ({ key, by }) => ({
    message: `can't answer at /${key}: ${by === undefined ? "that is a file of its own" : `${by} does`}`,
  }),
  "bare-breaks-references": ({ key }) => ({
    message: `can't also answer at /${key}: its relative references would point to other files from there`,
    hint: "begin references with a slash (/assets/…), or leave the bare form out of addresses.pages",
  }),
  "redirect-hidden": (facts) => ({
    message:
      "rule" in facts
        ? `is never used: the rule for ${facts.rule} before it matches first`
        : `is never used: ${facts.file} answers there`,
    hint: "",
  }),
  "redirect-loop": ({ trail, end }) => ({
    message:
      end === "closes"
        ? `leads back to itself: ${trail.join(" → ")}`
        : `is a longer chain than browsers follow: ${listed(trail)}`,
    hint: "let one of them lead to a page",
  }),
  "redirect-chain": ({ trail }) => ({
    message: `is a chain: ${trail.join(" → ")}`,
    hint: `let it lead to ${trail.at(-1) ?? ""} directly`,
  }),
  "redirect-target": ({ leadsTo }) => ({ message: `leads to ${leadsTo}, where no page answers`, hint: "" }),
  "redirect-unplaced": (facts) => {
    switch (facts.why) {
      case "not-owned":
        return {
          message: `${ruleWords(facts.isPattern, facts.status)} can't be an object of its own`,
          hint: "let routing rules do it, if the bucket's website settings belong to this site alone (store.ownsWebsite: true), or set it up at the edge",
        };
      case "too-many":
        return {
          message: `a website endpoint takes at most ${facts.most} such rules`,
          hint: "set up the others at the edge",
        };
      case "reaches":
        return {
          message: `${ruleWords(facts.isPattern, facts.status)} would also redirect ${facts.other}: a website endpoint looks only at how keys begin`,
          hint: "set it up at the edge, or make it permanent",
        };
    }
  },
  "redirect-covers": ({ keys }) => ({ message: `also redirects visitors of ${listed(keys)}` }),
  "redirect-elsewhere": ({ rules, isEdgeAble }) => ({
    message: `this endpoint can't redirect, so nothing is written for ${listed(rules.map(({ address, leadsTo }) => `${address} → ${leadsTo}`))}`,
    hint: isEdgeAble
      ? "rcourier provision gives the distribution a function that carries them from the next delivery on"
      : "set them up at the edge, or let the edge read from a website endpoint (store.serves: website)",
  }),
  "edge-rules-large": ({ bytes, most, redirects, untold }) => ({
    message: `the function at the edge would have ${bytes} bytes, and may have ${most}: it carries ${counted(redirects, "redirect")} and ${counted(untold, "address", "addresses")} of pages that no rule tells`,
    hint: "join redirects that lead to places alike (/old/* to /new/*), or let the edge read from a website endpoint (store.serves: website), which carries permanent ones and folders itself",
  }),
  "edge-header-long": ({ name, letters, most }) => ({
    message: `${name} has ${letters} letters, and an edge takes ${most}`,
    hint: "shorten it (edge.headers)",
  }),
  "edge-headers-many": ({ headers, most }) => ({
    message: `${headers} headers besides those that an edge has a place of their own for, and it takes ${most}`,
    hint: "leave some out (edge.headers)",
  }),
  "policy-unknown": () => ({
    message:
      "the release that is taken over does not say what its pages load, so no policy can be worked out from it",
    hint: "let its own destination deliver it once more with this version, and with edge.headers as they are now",
  }),
  "edge-headers-unplaced": ({ names }) => ({
    message: `the edge has no place for ${listed(names)} yet, so visitors get none of it`,
    hint: "rcourier provision gives the distribution one",
  }),
  "never-ship": ({ holds }) =>
    holds === undefined
      ? {
          message: "is never delivered, and may mean that this folder is not the build",
          hint: "name the folder that has only the build",
        }
      : {
          message: `contains ${SECRET_NAMES[holds]}`,
          hint: "take it out, and replace the credential: it may have been seen",
        },
  "special-file": () => ({
    message: "is not a file but a pipe, a socket or a device, and is left out",
    hint: "leave it out with build.exclude",
  }),
  "not-read": ({ why, size }) => ({
    message:
      why === "large"
        ? `has ${Math.round(size / 1e6)} MB of text: the tool looks neither for references nor for secrets in it`
        : "its elements are more than a thousand deep: references below that are not looked at",
    hint: why === "large" ? "split it" : "",
  }),
  "source-maps": ({ count }) => ({
    message: `${counted(count, "source map")} would be delivered: anybody can read your source code in ${count === 1 ? "it" : "them"}`,
    hint: 'leave them out with build.exclude: ["**/*.map"], or keep them if that is what you want',
  }),
  "encoded-twins": ({ count, of }) => ({
    message: `${count} of ${of} files are compressed twins (.br, .gz) of a file beside them, which no visitor gets: an object store answers with just the file that is asked for`,
    hint: 'leave them out with build.exclude: ["**/*.{br,gz}"]; edges compress by themselves',
  }),
  "stable-names": ({ bytes, files, pages, glob }) => ({
    message: `${Math.ceil(bytes / 1000)} kB of scripts and styles (${files}) are requested again on each visit, because their names seem to have no hash. During a delivery, ${counted(pages, "page")} may get those of the other release`,
    hint: `let the build put hashes into their names; if it does, say so: freshness: [{ files: "${glob}", browser: 365d, edge: 365d }]`,
  }),
  "no-not-found-page": ({ page, isNamed }) => ({
    message: `the build has no ${page}: who asks for a page that is not there gets the store's own answer, which is made for programs`,
    hint: isNamed
      ? "correct build.notFound, or put the page into the build"
      : "add the page; if yours has another name, say it: build.notFound; if scripts of the entry page answer for all addresses: build.clientRoutes: true",
  }),
  "worker-vanishes": () => ({
    message:
      "is the service worker of the live release, and the build has none: browsers that have it keep it, and the old site with it, for good",
    hint: "put it back into the build, or let a small worker remove it: build.retireWorkers: true",
  }),
  "pinned-name": ({ to }) => ({
    message: `pins ${to} by its hash (integrity), but the name stays when the file changes: between two releases, browsers refuse the file`,
    hint: "give it a name with its hash",
  }),
  "too-much-metadata": ({ size, most }) => ({
    message: `its metadata (x-amz-meta-…) has ${size} bytes; stores take ${most}`,
    hint: "shorten it in the settings (headers)",
  }),
  "old-build": ({ source }) => ({
    message: `the build is out of date: ${source} was changed after it was built`,
    hint: "build again before you deliver",
  }),
  "fingerprint-reused": () => ({
    message: "has changed under a name that browsers were told to keep for a year; they keep the old file",
    hint: "a build step changes it after its name was made: make the names last; or give the file another name, and a freshness rule",
  }),
  vanish: ({ keys, of }) => ({
    message: `${grouped(keys.length)} of ${counted(of, "address", "addresses")} would no longer answer: ${listed(keys.map((key) => `/${key}`))}`,
    hint: "is this the whole build? If these pages are meant to go: --allow vanish",
  }),
  "other-site": ({ site }) => ({
    message: `another site is delivered here: ${site}`,
    hint: "correct site, or the bucket and prefix of the destination",
  }),
  older: ({ sequence, live }) => ({
    message: `build ${sequence} is older than build ${live}, which is live`,
    hint: `deliver the newest build; to put build ${sequence} back on purpose: --allow older`,
  }),
  forgotten: () => ({
    message: "is a file that was removed for good with prune --forget",
    hint: "take it out of the build",
  }),
  exposed: ({ at }) =>
    at === "store"
      ? {
          message: "anybody can read this tool's records in .courier/: file names, authors, old versions",
          hint: "deny anonymous reads below .courier/ in the bucket's policy",
        }
      : {
          message:
            "anybody can read this tool's records at the site's address, in .courier/: file names, authors, old versions",
          hint: "deny .courier/ at the edge or web server, or leave it out of what the edge may read",
        },
};

/** What is said of a problem, without its place. */
export const wordsOfProblem = ({ code, facts, path = "" }: Problem): ProblemWords =>
  (WORDS[code] as (facts: unknown, path: string) => ProblemWords)(facts, path);

/** How many findings of one guard a refusal names before it counts the rest. */
const MOST_FINDINGS = 8;

/** Everything that speaks against a delivery, guard by guard. */
export function showRefusals(refusals: readonly Problem[]): string {
  const codes = [...new Set(refusals.map(({ code }) => code))];
  const blocks = codes.map((code) => {
    const found = refusals.filter((problem) => problem.code === code);
    const lines = found
      .slice(0, MOST_FINDINGS)
      .map((problem) => `  ${placeOf(problem)}${wordsOfProblem(problem).message}`);
    const more = found.length > MOST_FINDINGS ? [`  and ${found.length - MOST_FINDINGS} more`] : [];
    const [first] = found;
    const hint = (first && wordsOfProblem(first).hint) ?? "";
    return [...lines, ...more, `    ${hint === "" ? "" : `${hint} `}(${code})`].join("\n");
  });
  return blocks.join("\n");
}

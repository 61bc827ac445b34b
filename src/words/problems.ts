import type { Problem, ProblemCode, ProblemFacts, Secret, UnfitName } from "../core/model/problem.ts";
import { counted, listed, placeOf } from "./text.ts";

/** What is wrong, and what to do about it. */
export interface ProblemWords {
  readonly message: string;
  readonly hint?: string;
}

type Words<Code extends ProblemCode> = (facts: ProblemFacts[Code]) => ProblemWords;

const SECRET_NAMES: Readonly<Record<Secret, string>> = {
  "private-key": "a private key",
  "access-key": "an access key with its secret",
  "secret-access-key": "a secret access key",
};

const UNFIT: Readonly<Record<UnfitName, (most: number) => string>> = {
  "control-character": () => "the name holds a control character, which no address can carry",
  backslash: () => "the name holds a backslash, which browsers turn into a slash",
  "windows-name": () => "Windows can't hold a file of that name, and the destination is a folder on Windows",
  star: () => "the name holds a *, which edges take for a pattern",
  "not-unicode": () => "the name is not valid Unicode",
  "long-key": (most) => `the name is longer than ${most} bytes`,
  "file-and-folder": () => "is a file where other files need a folder of that name",
  "long-part": (most) => `a part of the name is longer than ${most} bytes`,
};

const ruleWords = (isPattern: boolean, status: number): string =>
  isPattern ? "a rule for many addresses" : `a redirect with the status ${status}`;

const WORDS: { readonly [Code in ProblemCode]: Words<Code> } = {
  "empty-build": ({ folder }) => ({
    message: `${folder} holds no file to deliver`,
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
          message: `the site stands one level down, in ${facts.folder}/${facts.inner}`,
          hint: `say --build ${facts.folder}/${facts.inner}`,
        },
  "no-entry": ({ entry }) => ({
    message: `the build has no entry page ${entry}`,
    hint: "name the build's first page in build.entry",
  }),
  "bare-link": ({ addresses }) => ({
    message: `${addresses.length} addresses without an ending are linked, such as ${listed(addresses, 3)}`,
    hint: "promise them with addresses.pages: [file, folder, bare], unless the endpoint answers them by itself",
  }),
  "dead-link": ({ address }) => ({ message: `${address} is linked here and no page answers there` }),
  "missing-asset": ({ address, isKnown, asForm }) => ({
    message: `${address} is named here and is not in the build${isKnown ? ", as in the release that is live" : ""}`,
    hint:
      asForm === undefined
        ? "build again from clean, or take the reference out"
        : `the build has ${asForm}, which looks the same and is another name: its accents are letters of their own (Unicode normal forms); rename it, or write the reference as the file is called`,
  }),
  "wrong-base": ({ builtFor, deliveredAt, example, isPreview = false }) => ({
    message: `the build was made for ${builtFor} and the destination's addresses begin with ${deliveredAt}: nothing answers at ${example}`,
    hint: `build it with ${deliveredAt} as its base path, or ${isPreview ? "give previews a host name of their own (previews.address)" : `let the destination's url end with ${builtFor}`}`,
  }),
  "robots-out-of-reach": ({ basePath }) => ({
    message: `nothing in the store keeps search engines away from ${basePath}: a robots.txt counts only at the root of a host`,
    hint: "let the edge set X-Robots-Tag: noindex there, or give it a host name of its own",
  }),
  "case-clash": ({ other }) => ({
    message: `differs from ${other} only in case or spelling`,
    hint: "rename one of them",
  }),
  "unfit-name": ({ why, most = 0 }) => ({ message: UNFIT[why](most), hint: "rename it" }),
  "alias-clash": ({ key, by }) => ({
    message: `can't answer at /${key}: ${by === undefined ? "that is a file of its own" : `${by} does`}`,
  }),
  "bare-breaks-references": ({ key }) => ({
    message: `can't answer at /${key}: what it names relative to itself would lead elsewhere from there`,
    hint: "name things from the root (/assets/…), or do not promise the bare form",
  }),
  "redirect-hidden": (facts) => ({
    message:
      "rule" in facts
        ? `never counts: the rule for ${facts.rule} before it matches first`
        : `never counts: ${facts.file} answers there`,
    hint: "",
  }),
  "redirect-loop": ({ trail, end }) => ({
    message:
      end === "closes"
        ? `leads back to itself: ${trail.join(" → ")}`
        : `leads on further than browsers follow: ${listed(trail)}`,
    hint: "let one of them lead to a page",
  }),
  "redirect-chain": ({ trail }) => ({
    message: `leads on and on: ${trail.join(" → ")}`,
    hint: `let it lead to ${trail.at(-1) ?? ""} at once`,
  }),
  "redirect-target": ({ leadsTo }) => ({ message: `leads to ${leadsTo}, where no page answers`, hint: "" }),
  "redirect-unplaced": (facts) => {
    switch (facts.why) {
      case "not-owned":
        return {
          message: `${ruleWords(facts.isPattern, facts.status)} can't be an object of its own`,
          hint: "let routing rules carry it, if the bucket's website settings are this site's alone (store.ownsWebsite: true), or set it up at the edge",
        };
      case "too-many":
        return {
          message: `a website endpoint takes at most ${facts.most} such rules`,
          hint: "set up the others at the edge",
        };
      case "reaches":
        return {
          message: `${ruleWords(facts.isPattern, facts.status)} also reaches ${facts.other}: a website endpoint knows only how keys begin`,
          hint: "set it up at the edge, or make it permanent",
        };
    }
  },
  "redirect-covers": ({ keys }) => ({ message: `visitors are sent on also from ${listed(keys)}` }),
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
          message: "must never be shipped; it is left out in any case",
          hint: "is this folder the build, and nothing but the build?",
        }
      : {
          message: `holds ${SECRET_NAMES[holds]}`,
          hint: "take it out, and replace the credential: it may have been seen",
        },
  "special-file": () => ({
    message: "is no file (a pipe, a socket or a device), and is left out",
    hint: "leave it out with build.exclude",
  }),
  "not-read": ({ why, size }) => ({
    message:
      why === "large"
        ? `${Math.round(size / 1e6)} MB of text: what it names is not looked at, nor whether it holds a secret`
        : "its elements are more than a thousand deep: what it names is looked at only before that",
    hint: why === "large" ? "split it" : "",
  }),
  "source-maps": ({ count }) => ({
    message: `${count} source maps are shipped: they show your sources to whoever asks`,
    hint: 'leave them out with build.exclude: ["**/*.map"], or ship them knowingly',
  }),
  "encoded-twins": ({ count, of }) => ({
    message: `${count} of ${of} files are ready-made encodings (.br, .gz) of a file beside them: no visitor gets them, since an object store answers with just the file that is asked for; they are sent and forgotten all the same`,
    hint: 'leave them out: build.exclude: ["**/*.{br,gz}"]; edges compress by themselves',
  }),
  "stable-names": ({ bytes, files, pages, glob }) => ({
    message: `${Math.ceil(bytes / 1000)} kB of scripts and styles (${files}) are asked for anew on each visit, since their names carry no hash, as far as can be seen; while a delivery is under way, ${pages} ${pages === 1 ? "page" : "pages"} can meet those of the other release`,
    hint: `let the build put hashes into their names; if they carry some already, say so: freshness: [{ files: "${glob}", browser: 365d, edge: 365d }]`,
  }),
  "worker-vanishes": () => ({
    message:
      "is the service worker of the release that is live, and the build has none there: browsers that have it keep it, and the old site with it, for good",
    hint: "put it back into the build, or let a small worker take it away: build.retireWorkers: true",
  }),
  "pinned-name": ({ to }) => ({
    message: `${to} is pinned by its integrity, and its name stays when it changes: pages and file of different releases refuse each other`,
    hint: "give it a name that carries its hash",
  }),
  "too-much-metadata": ({ size, most }) => ({
    message: `its metadata (x-amz-meta-…) has ${size} bytes; stores take ${most}`,
    hint: "shorten it in the settings (headers)",
  }),
  "old-build": ({ source }) => ({
    message: `the build is older than what it is made from: ${source} was changed after it`,
    hint: "build again before you deliver",
  }),
  "fingerprint-reused": () => ({
    message: "was delivered as immutable and has other bytes now: browsers keep the old ones for a year",
    hint: "a build step after hashing changes it: hash last, or give the file a freshness rule of its own and another name",
  }),
  vanish: ({ keys, of }) => ({
    message: `${keys.length} of ${of} addresses would stop answering: ${listed(keys)}`,
    hint: "is this the whole build?",
  }),
  "other-site": ({ site }) => ({
    message: `this destination holds another site, ${site}`,
    hint: "check bucket and prefix of the destination",
  }),
  older: ({ sequence, live }) => ({
    message: `build ${sequence} is older than build ${live}, which is live`,
    hint: "deliver the newest build; to go back on purpose, lift this",
  }),
  forgotten: () => ({
    message: "holds just what was removed for good with prune --forget",
    hint: "take it out of the build",
  }),
  exposed: ({ at }) =>
    at === "store"
      ? {
          message: "anybody can read the records of deliveries (.courier/)",
          hint: "deny anonymous reads below .courier/ in the bucket's policy",
        }
      : {
          message: "anybody can read the records of deliveries (.courier/) at the site's address",
          hint: "deny .courier/ at the edge or web server, or leave it out of what the edge may read",
        },
};

/** What is said of a problem, without its place. */
export const wordsOfProblem = ({ code, facts }: Problem): ProblemWords =>
  (WORDS[code] as (facts: unknown) => ProblemWords)(facts);

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
    return [...lines, ...more, `    ${(first && wordsOfProblem(first).hint) ?? ""} (${code})`].join("\n");
  });
  return blocks.join("\n");
}

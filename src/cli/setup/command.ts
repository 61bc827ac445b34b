import { SHARED, type Command } from "../frame/command.ts";

export const setupCommand: Command = {
  name: "setup",
  group: "prepare",
  writesSettings: true,
  about: "writes courier.yaml from a few questions; run again to add to it",
  options: {
    settings: SHARED.settings,
    sandbox: { kind: "switch", about: "add a destination on the sandbox, to practise on" },
    site: { kind: "text", value: "NAME", about: "the site's name" },
    build: SHARED.build,
    "client-routes": {
      kind: "text",
      value: "YES",
      about: "yes or no: do unknown addresses get the entry page? (a single-page app)",
    },
    script: {
      kind: "text",
      value: "YES",
      about: 'yes or no: add "deliver": "rcourier deliver" to the scripts of package.json?',
    },
    destination: { kind: "text", value: "NAME", about: "the destination's name", default: "production" },
    url: { kind: "text", value: "URL", about: "where visitors reach it" },
    bucket: { kind: "text", value: "NAME", about: "the bucket" },
    region: { kind: "text", value: "REGION", about: "the bucket's region" },
    endpoint: {
      kind: "text",
      value: "URL",
      about: "the store's address, if its region is not enough to find it",
    },
    prefix: {
      kind: "text",
      value: "PATH",
      about: "the site's folder in the bucket, if it is not the whole bucket",
    },
    serves: {
      kind: "text",
      value: "KIND",
      about:
        "what the edge reads from: an endpoint that finds index pages (website), or exact keys (objects)",
      choices: ["website", "objects"],
    },
    edge: {
      kind: "text",
      value: "EDGE",
      about: "none, distribution (provision makes it), distribution:ID, or purge:URL of a cache",
    },
    headers: {
      kind: "text",
      value: "KIND",
      about: "headers that a distribution sets: strict is a good set to begin with",
      choices: ["strict"],
    },
    "dry-run": { ...SHARED["dry-run"], about: "print the settings and write nothing" },
    yes: { ...SHARED.yes, about: "take what was found, and ask nothing" },
  },
  examples: [
    ["rcourier setup", "a few questions at the terminal"],
    ["rcourier setup --sandbox", "a destination to practise on; no account, no network"],
    [
      "rcourier setup --yes --bucket pelican-sound-web --region eu-west-1 --edge distribution:EXAMPLE0000001",
      "asks nothing: for scripts",
    ],
  ],
  run: async (args, terminal) => {
    const { setUp } = await import("./run.ts");
    return setUp(args, terminal);
  },
};

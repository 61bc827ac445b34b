import { SHARED, type Command } from "../frame/command.ts";

export const setupCommand: Command = {
  name: "setup",
  group: "prepare",
  about: "asks a few questions, finds the build, and writes courier.yaml; can be run again and only adds",
  options: {
    settings: SHARED.settings,
    sandbox: { kind: "switch", about: "add a destination on the sandbox, to practise on" },
    site: { kind: "text", value: "NAME", about: "the site's name" },
    build: SHARED.build,
    "client-routes": {
      kind: "text",
      value: "YES",
      about: "whether unknown addresses are answered with the entry page: yes or no",
    },
    script: {
      kind: "text",
      value: "YES",
      about: 'whether package.json gets "deliver": "rcourier deliver": yes or no',
    },
    destination: { kind: "text", value: "NAME", about: "the destination's name", default: "production" },
    url: { kind: "text", value: "URL", about: "where visitors reach it" },
    bucket: { kind: "text", value: "NAME", about: "the bucket" },
    region: { kind: "text", value: "REGION", about: "the bucket's region" },
    endpoint: { kind: "text", value: "URL", about: "the store's address, where a region does not tell" },
    prefix: { kind: "text", value: "PATH", about: "what stands before keys in the bucket" },
    serves: {
      kind: "text",
      value: "KIND",
      about: "what the edge reads from: does it resolve index documents by itself?",
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
      about: "headers that a distribution sets to begin with: strict guards the site well",
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
      "without hands",
    ],
  ],
  run: async (args, terminal) => {
    const { setUp } = await import("./run.ts");
    return setUp(args, terminal);
  },
};

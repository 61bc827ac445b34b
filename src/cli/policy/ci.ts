export interface WorkflowFacts {
  readonly destination: string;
  /** A role that the run takes on with an identity of its own: then there is no secret at all. */
  readonly identity?: string | undefined;
}

/** A workflow for CI services that read this form; secrets by reference only. */
export const toWorkflow = ({ destination, identity }: WorkflowFacts): string => {
  const isRole = /^arn:[^:\s]*:iam::\d*:role\/[\w+=,.@/-]+$/.test(identity ?? "");
  return `# .github/workflows/deliver.yml
name: deliver
on:
  push: { branches: [main] }
# One delivery at a time; the tool waits for its own hold as well.
concurrency: { group: deliver-${destination} }
permissions:
  contents: read
${isRole ? "  id-token: write   # the run proves who it is, and is lent keys for an hour\n" : ""}jobs:
  deliver:
    runs-on: ubuntu-latest
    steps:
      - uses: actions/checkout@v4
      - uses: actions/setup-node@v4
        with: { node-version: 20 }
      - run: npm ci
      - run: npm run build
${isRole ? WEB_IDENTITY : ""}      - run: npx --no-install rcourier deliver --to ${destination} --yes --queue 10m --verify
        env:
${isRole ? toRoleVariables(identity ?? "") : KEY_VARIABLES}`;
};

const KEY_VARIABLES = `          AWS_ACCESS_KEY_ID: \${{ secrets.DELIVERY_KEY_ID }}
          AWS_SECRET_ACCESS_KEY: \${{ secrets.DELIVERY_SECRET }}
`;

const toRoleVariables = (role: string): string => `          AWS_ROLE_ARN: ${role}
          AWS_WEB_IDENTITY_TOKEN_FILE: \${{ runner.temp }}/web-identity
`;

const WEB_IDENTITY = `      - name: an identity for this run
        run: |
          curl -sSf -H "Authorization: bearer $ACTIONS_ID_TOKEN_REQUEST_TOKEN" "$ACTIONS_ID_TOKEN_REQUEST_URL&audience=sts.amazonaws.com" \\
            | node -pe 'JSON.parse(require("fs").readFileSync(0, "utf8")).value' >"$RUNNER_TEMP/web-identity"
`;

/** The same for any other place; the credentials stand in its environment. */
export const toScript = (destination: string): string => `#!/bin/sh
# Delivers to ${destination}. AWS_ACCESS_KEY_ID and AWS_SECRET_ACCESS_KEY (or a web identity) come from the environment.
set -eu
: "\${AWS_ACCESS_KEY_ID:=}" "\${AWS_WEB_IDENTITY_TOKEN_FILE:=}"
if [ -z "$AWS_ACCESS_KEY_ID$AWS_WEB_IDENTITY_TOKEN_FILE" ]; then
  echo "no credentials in the environment" >&2
  exit 7
fi
npm ci
npm run build
npx --no-install rcourier deliver --to ${destination} --yes --queue 10m --verify --commit "\${COMMIT:-$(git rev-parse HEAD)}"
`;

import js from "@eslint/js";
import tseslint from "typescript-eslint";

/** What pure code may not reach: the file system, the network, the clock, chance, the process, and the rest of the house. */
const pureCode = {
  "no-restricted-imports": [
    "error",
    {
      patterns: [
        { regex: "^node:", message: "core is pure: take the data as an argument" },
        {
          regex: "^(fs|path|os|crypto|http|https|net|child_process|worker_threads|url)$",
          message: "core is pure",
        },
        {
          regex: "/(gather|perform|ports|adapters|settings|cli|sandbox|workflows|report)/",
          message: "core imports only core",
        },
        {
          regex: "^(@aws-sdk/|@smithy/|undici|yargs|fast-xml-parser|http-cache-semantics)",
          message: "core does not touch the world",
        },
      ],
    },
  ],
  "no-restricted-globals": [
    "error",
    "process",
    "console",
    "fetch",
    "setTimeout",
    "setInterval",
    "setImmediate",
    "performance",
    "Buffer",
    "require",
  ],
  "no-restricted-properties": [
    "error",
    { object: "Date", property: "now", message: "time is an argument" },
    { object: "Math", property: "random", message: "randomness is an argument" },
  ],
  "no-restricted-syntax": [
    "error",
    { selector: "NewExpression[callee.name='Date'][arguments.length=0]", message: "time is an argument" },
    { selector: "ImportExpression", message: "core imports statically" },
  ],
};

export default tseslint.config(
  { ignores: ["dist/", "node_modules/", "demo/builds/", "test/builds/"] },
  js.configs.recommended,
  ...tseslint.configs.strictTypeChecked,
  {
    languageOptions: {
      parserOptions: {
        project: ["./tsconfig.json", "./src/report/client/tsconfig.json"],
        tsconfigRootDir: import.meta.dirname,
      },
      globals: {
        process: "readonly",
        console: "readonly",
        URL: "readonly",
        Buffer: "readonly",
        setTimeout: "readonly",
        clearTimeout: "readonly",
        performance: "readonly",
        AbortController: "readonly",
      },
    },
    rules: {
      "no-control-regex": "off",
      // The code has no enums, and the search for them takes a fifth of the time.
      "@typescript-eslint/no-unsafe-enum-assignment": "off",
      "@typescript-eslint/no-unused-vars": ["error", { argsIgnorePattern: "^_", varsIgnorePattern: "^_" }],
      "max-lines": ["error", { max: 400, skipBlankLines: true }],
      "max-params": ["error", 4],
      "max-lines-per-function": ["error", { max: 60, skipBlankLines: true, skipComments: true }],
      // Numbers are said as they are everywhere.
      "@typescript-eslint/restrict-template-expressions": ["error", { allowNumber: true }],
    },
  },
  // Plain scripts have no types to be checked by.
  { files: ["**/*.{js,mjs}"], ...tseslint.configs.disableTypeChecked },
  { files: ["src/core/**/*.ts"], ignores: ["**/*.test.ts"], rules: pureCode },
  {
    files: ["src/**/*.ts"],
    ignores: ["src/cli/**", "src/main.ts", "src/sandbox/**"],
    rules: { "no-console": "error" },
  },
  {
    files: ["test/**/*.ts", "**/*.test.ts"],
    rules: {
      "max-params": "off",
      "max-lines-per-function": "off",
      // Jest's matchers and parsed results are of any type.
      "@typescript-eslint/no-unsafe-assignment": "off",
      "@typescript-eslint/no-unsafe-member-access": "off",
    },
  },
  { files: ["demo/**", "bench/**"], rules: { "max-lines-per-function": "off" } },
  {
    files: ["demo/source/scripts/*.js"],
    languageOptions: { globals: { document: "readonly", navigator: "readonly", fetch: "readonly" } },
  },
);

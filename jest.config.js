/** Tests run as native ES modules; the transform only strips the types. */
export default {
  testEnvironment: "node",
  extensionsToTreatAsEsm: [".ts"],
  transform: { "\\.ts$": "<rootDir>/test/support/strip-types.js" },
  testMatch: ["<rootDir>/src/**/*.test.ts", "<rootDir>/test/**/*.test.ts"],
  testPathIgnorePatterns:
    process.env.COURIER_REAL_STORE === undefined ? ["/node_modules/", "/test/servers/"] : ["/node_modules/"],
  testSequencer: "<rootDir>/test/support/slowest-first.js",
  globalSetup: "<rootDir>/test/support/global-setup.js",
  testTimeout: process.env.SOAK === undefined ? 60_000 : 600_000,
};

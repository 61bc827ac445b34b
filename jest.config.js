import { homedir } from "node:os";

// However Jest is started, no test asks a metadata address or reads the developer's own credentials.
Object.assign(process.env, {
  AWS_EC2_METADATA_DISABLED: "true",
  AWS_CONFIG_FILE: "/dev/null",
  AWS_SHARED_CREDENTIALS_FILE: "/dev/null",
  AWS_SDK_JS_NODE_VERSION_SUPPORT_WARNING_DISABLED: "true",
});

// Clients that tests make look for a home, and fail where a user has none; the program is started with one of its own, or none.
try {
  homedir();
} catch {
  process.env.HOME = "/nonexistent";
}

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
  // The modules of a suite stay in its process when it has ended: after a hundred suites these are 0.9 GB, and clearing up takes a
  // fifth of the processor's time.
  workerIdleMemoryLimit: "300MB",
  // Against tests that never end; how fast something is, benchmarks tell.
  testTimeout: process.env.SOAK === undefined ? 600_000 : 1_200_000,
};

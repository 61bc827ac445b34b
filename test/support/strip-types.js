import { createHash } from "node:crypto";
import { readFileSync } from "node:fs";
import { transformSync } from "esbuild";

/**
 * What modules ask of the language. Jest runs them in a context of its own, where each look at a global asks the host: in a
 * loop that is ten times as slow as a variable of the module.
 */
const GLOBALS = [
  "Array", "BigInt", "Boolean", "Buffer", "Date", "Error", "Infinity", "Intl", "JSON", "Map", "Math", "NaN", "Number", "Object", "Promise",
  "Proxy", "Reflect", "RegExp", "Set", "String", "Symbol", "TextDecoder", "TextEncoder", "TypeError", "URL", "URLSearchParams",
  "Uint8Array", "Uint32Array", "WeakMap", "WeakSet", "decodeURIComponent", "encodeURIComponent", "isNaN", "parseFloat", "parseInt",
]; // prettier-ignore
const ofModule = (name) => `module_${name}`;
const banner = `const { ${GLOBALS.map((name) => `${name}: ${ofModule(name)}`).join(", ")} } = globalThis;`;
const define = Object.fromEntries(GLOBALS.map((name) => [name, ofModule(name)]));
/** These hand functions to a browser, which knows nothing of their module. */
const HAS_BROWSER = /[\\/]test[\\/]servers[\\/]/;
const itself = readFileSync(new URL(import.meta.url));

/** Jest's transform: the tests run the sources as they are, without their types. */
export default {
  // What an older transform made is not taken for what this one makes.
  getCacheKey: (source, path) =>
    createHash("sha256").update(itself).update(path).update("\0").update(source).digest("hex"),
  process: (source, path) => {
    const { code, map } = transformSync(source, {
      loader: "ts",
      format: "esm",
      target: "node20",
      sourcemap: true,
      sourcefile: path,
      ...(!HAS_BROWSER.test(path) && { banner, define }),
    });
    return { code, map };
  },
};

import { transformSync } from "esbuild";

/** Jest's transform: the tests run the sources as they are, without their types. */
export default {
  process: (source, path) => {
    const { code, map } = transformSync(source, {
      loader: "ts",
      format: "esm",
      target: "node20",
      sourcemap: true,
      sourcefile: path,
    });
    return { code, map };
  },
};

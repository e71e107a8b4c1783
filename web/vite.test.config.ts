import { readdirSync } from "node:fs";
import { defineConfig } from "vite";

/** Bundles the tests for Node's own runner: the same resolution as the interface, no browser. */
export default defineConfig({
  build: {
    ssr: true,
    outDir: ".test-build",
    rollupOptions: {
      input: readdirSync("tests")
        .filter((name) => name.endsWith(".test.ts"))
        .map((name) => `tests/${name}`),
    },
  },
  logLevel: "warn",
});

import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

/** Pure functions run bare; what a user would see of a component runs in a DOM of its own (`*.test.tsx`). */
export default defineConfig({
  plugins: [react()],
  test: {
    // No test changes a module: loading the interface anew for each file would take longer than all of them.
    isolate: false,
    projects: [
      { extends: true, test: { name: "functions", include: ["tests/*.test.ts"], environment: "node" } },
      {
        extends: true,
        test: {
          name: "dom",
          include: ["tests/*.test.tsx"],
          environment: "jsdom",
          setupFiles: ["tests/dom.ts"],
        },
      },
    ],
  },
});

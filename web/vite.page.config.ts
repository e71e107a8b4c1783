import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

/** Draws published pages, for Node: one file, with everything in it that it needs. */
export default defineConfig({
  plugins: [react()],
  ssr: { noExternal: true },
  build: {
    ssr: "src/published/draw.tsx",
    outDir: "dist-page",
    copyPublicDir: false,
    rollupOptions: { output: { entryFileNames: "draw.js" } },
  },
});

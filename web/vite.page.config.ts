import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

/** Draws published pages and film strips, for Node: nothing else is needed beside these files. */
export default defineConfig({
  plugins: [react()],
  ssr: { noExternal: true },
  build: {
    ssr: true,
    outDir: "dist-page",
    copyPublicDir: false,
    rollupOptions: {
      input: ["src/published/draw.tsx", "src/published/film.tsx"],
      output: { entryFileNames: "[name].js", chunkFileNames: "shared-[hash].js" },
    },
  },
});

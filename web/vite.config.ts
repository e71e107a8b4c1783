import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

const server = `http://127.0.0.1:${process.env.PORT ?? "8000"}`;

export default defineConfig({
  plugins: [react(), tailwindcss()],
  // Fonts are files of their own, so that an exported picture can fetch and embed them.
  build: { assetsInlineLimit: 0, chunkSizeWarningLimit: 900 },
  server: { proxy: { "/api": server, "/static": server } },
});

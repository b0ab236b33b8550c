import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  // Elements are made by src/jsx, which shows what could steer a page.
  plugins: [react({ jsxImportSource: "@shown" })],
  resolve: { alias: { "@shown": `${import.meta.dirname}/src/jsx` } },
  build: { target: "es2023", assetsInlineLimit: 0, chunkSizeWarningLimit: 1200 },
  server: { proxy: { "/api": "http://127.0.0.1:8470" } },
  test: { environment: "jsdom", globals: true, setupFiles: "src/test-setup.ts" },
});

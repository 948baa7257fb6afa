import vue from "@vitejs/plugin-vue";
import { fileURLToPath } from "node:url";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [vue()],
  resolve: { alias: { "@": fileURLToPath(new URL("./src", import.meta.url)) } },
  build: { emptyOutDir: false, chunkSizeWarningLimit: 900 },
  server: { proxy: { "/api": "http://127.0.0.1:8420" } },
  test: {
    environment: "happy-dom",
    isolate: false,
    setupFiles: "tests/setup.ts",
    testTimeout: 0, // a busy machine takes its time
    maxWorkers: 2,
    environmentOptions: { happyDOM: { url: "http://localhost/" } },
    server: { deps: { inline: ["element-plus"] } },
  },
});

import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [react()],
  css: { preprocessorOptions: { scss: { quietDeps: true, silenceDeprecations: ["import"] } } },
  // Nothing is inlined: the page's policy loads from its own address only.
  build: { assetsInlineLimit: 0, chunkSizeWarningLimit: 700 },
  // The guide lies beside the front end.
  server: { fs: { allow: [".."] }, host: "127.0.0.1", proxy: { "/api": "http://127.0.0.1:8010" } },
  // A shared machine is slow at times; what waits longer than this waits for ever.
  // One page for all files, which each test leaves as it found it: a page for each file takes longer than all tests.
  test: {
    environment: "jsdom",
    isolate: false,
    pool: "threads",
    setupFiles: ["src/test-setup.ts"],
    testTimeout: 30_000,
  },
});

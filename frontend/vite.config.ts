import { readdirSync, readFileSync, statSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { gzipSync } from "node:zlib";
import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import type { Plugin } from "vite";
import { defineConfig } from "vitest/config";

/** Writes a .gz beside every text file of the build; the server sends it to browsers that take it. */
function precompressed(): Plugin {
  return {
    name: "precompressed",
    apply: "build",
    closeBundle() {
      for (const file of readdirSync("dist", { recursive: true, encoding: "utf8" })) {
        const path = join("dist", file);
        if (/\.(js|css|html|svg)$/.test(path) && statSync(path).isFile()) {
          writeFileSync(`${path}.gz`, gzipSync(readFileSync(path), { level: 9 }));
        }
      }
    },
  };
}

export default defineConfig({
  plugins: [react(), tailwindcss(), precompressed()],
  build: { assetsInlineLimit: 0, target: "es2022" },
  server: { proxy: { "/api": "http://127.0.0.1:8470" } },
  test: { environment: "jsdom", globals: false, include: ["src/**/*.test.{ts,tsx}"] },
});

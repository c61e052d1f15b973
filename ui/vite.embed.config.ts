import { fileURLToPath } from "node:url";

import { defineConfig } from "vite";

const at = (path: string) => fileURLToPath(new URL(path, import.meta.url));

export default defineConfig({
  root: at("."),
  build: {
    outDir: at("dist"),
    emptyOutDir: false,
    lib: { entry: at("src/embed/embed.ts"), formats: ["iife"], name: "skurrow", fileName: () => "embed.js" },
  },
});

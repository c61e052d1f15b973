import { fileURLToPath } from "node:url";

import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

const at = (path: string) => fileURLToPath(new URL(path, import.meta.url));

export default defineConfig({
  root: at("."),
  plugins: [react()],
  build: {
    outDir: at("dist"),
    emptyOutDir: true,
    manifest: true,
    rolldownOptions: { input: [at("desk.html"), at("counter.html")] },
  },
});

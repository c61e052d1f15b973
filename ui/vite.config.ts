import { fileURLToPath } from "node:url";

import locales from "@react-aria/optimize-locales-plugin";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

const at = (path: string) => fileURLToPath(new URL(path, import.meta.url));

export default defineConfig({
  root: at("."),
  // The desk speaks English: the other thirty languages of the components are left out.
  plugins: [react(), locales.vite({ locales: ["en-US", "en-GB"] })],
  build: {
    outDir: at("dist"),
    emptyOutDir: true,
    manifest: true,
    rolldownOptions: { input: [at("desk.html"), at("counter.html")] },
  },
});

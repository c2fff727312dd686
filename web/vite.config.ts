import react from "@vitejs/plugin-react";
import { defineConfig, type Plugin } from "vite";

/** The page is in English: messages of the controls in other languages are left out, and those in English shown. */
const englishOnly: Plugin = {
  name: "english-only",
  load: (id) =>
    /\/react-(aria|stately)\/.*\/intl\/.*\/(?!en-US)[a-z]{2}-[A-Z]{2}\.[mc]?js$/.test(id)
      ? "export default undefined"
      : null,
};

export default defineConfig({
  plugins: [englishOnly, react()],
  build: { outDir: "../able_brick/web_dist", emptyOutDir: true, target: "es2022", chunkSizeWarningLimit: 3000 },
  server: { proxy: { "/api": { target: "http://127.0.0.1:8484", ws: true } } },
});

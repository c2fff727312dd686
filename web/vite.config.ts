import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

export default defineConfig({
  plugins: [react()],
  build: { outDir: "../able_brick/web_dist", emptyOutDir: true, target: "es2022", chunkSizeWarningLimit: 3000 },
  server: { proxy: { "/api": { target: "http://127.0.0.1:8484", ws: true } } },
});

import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [react(), tailwindcss()],
  // Whoever has a link needs nothing of the workplace, and the other way round.
  build: { rollupOptions: { input: ["index.html", "review.html"] }, target: "es2022", assetsInlineLimit: 0, chunkSizeWarningLimit: 900 },
  server: { proxy: { "/api": process.env.JANOGLOT_SERVER ?? "http://127.0.0.1:8321" } },
  test: { environment: "jsdom", include: ["src/**/*.test.{ts,tsx}"] },
});

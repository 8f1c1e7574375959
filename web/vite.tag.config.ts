import { fileURLToPath } from "node:url";
import { defineConfig } from "vite";

const tag = (path: string) => fileURLToPath(new URL(`../tag/${path}`, import.meta.url));

export default defineConfig({
  root: tag("."),
  build: {
    outDir: tag("dist"),
    emptyOutDir: true,
    target: "es2020",
    lib: { entry: tag("src/tag.ts"), formats: ["iife"], name: "clabo_tag", fileName: () => "tag.js" },
  },
});

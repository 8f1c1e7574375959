import { defineConfig } from "vitest/config";

export default defineConfig({
  define: { __MORE__: "true", __SPLITS__: "true", __CONTENT__: "true", __WHO__: "true" },
  test: { environment: "happy-dom", include: ["tests/*.test.ts"] },
});

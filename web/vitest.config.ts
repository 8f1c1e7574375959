import { defineConfig } from "vitest/config";

// Logic alone; what is drawn is tried in a real browser (clabo/journeys).
export default defineConfig({
  test: { environment: "node", include: ["tests/*.test.ts"], setupFiles: ["tests/setup.ts"] },
});

// Builds the tag with and without what only some sites need, and the parts of it that only some pages load, each into a script of its own.
import { readdirSync } from "node:fs";
import { fileURLToPath } from "node:url";
import { build } from "vite";

const tag = (path) => fileURLToPath(new URL(`../tag/${path}`, import.meta.url));
const parts = readdirSync(tag("src/parts")).map((file) => file.replace(/\.ts$/, ""));

// Nearly all of the tag runs at once: a browser that reads this compiles it off the main thread, while it arrives
// (https://github.com/WICG/explicit-javascript-compile-hints-file-based). Others read a comment.
const COMPILED_AT_ONCE = "//# allFunctionsCalledOnLoad";

const builds = ["tag", "tag-splits", "tag-content"].flatMap((of) => [of, `${of}-more`]);
for (const name of [...builds, "tag-splits-who", "tag-content-who", ...parts]) {
  await build({
    configFile: false,
    logLevel: "warn",
    root: tag("."),
    define: {
      __SPLITS__: String(/-splits|-content/.test(name)),
      __CONTENT__: String(name.includes("-content")),
      __WHO__: String(!name.startsWith("tag") || /-who|-more/.test(name)),
      __MORE__: String(!name.startsWith("tag") || name.endsWith("-more")),
    },
    build: {
      outDir: tag("dist"),
      emptyOutDir: name === "tag",
      target: "es2020",
      rolldownOptions: name.startsWith("tag") ? { output: { postBanner: COMPILED_AT_ONCE } } : {},
      lib: {
        entry: tag(name.startsWith("tag") ? "src/tag.ts" : `src/parts/${name}.ts`),
        formats: ["iife"],
        name: "clabo_tag",
        fileName: () => `${name}.js`,
      },
    },
  });
}

// Runs the tag's own split code over tag/split-vectors.json; the Python tests call this.
import { readFileSync } from "node:fs";
import ts from "typescript";

const read = (path) => readFileSync(new URL(path, import.meta.url), "utf8");
const script = ts.transpileModule(read("../tag/src/splits.ts"), {
  compilerOptions: { module: "esnext", target: "es2022" },
});
const { assign, hash32 } = await import(`data:text/javascript,${encodeURIComponent(script.outputText)}`);

const vectors = JSON.parse(read("../tag/split-vectors.json"));
for (const { visitor, test, shares, traffic, hash, variant } of vectors) {
  const variants = shares.map((share, index) => ({ share, index }));
  const chosen = assign(visitor, { key: test, traffic, variants })?.index ?? null;
  if (hash32(`${test}.${visitor}`) !== hash || chosen !== variant) {
    console.error(`differs for ${visitor} in ${test}: variant ${chosen}`);
    process.exit(1);
  }
}
console.log(`${vectors.length} vectors agree`);

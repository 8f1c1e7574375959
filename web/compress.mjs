/** Writes .gz and .br beside what the build has made, for a server that sends what is there. */
import { readdir, readFile, writeFile } from "node:fs/promises";
import { join } from "node:path";
import { promisify } from "node:util";
import { brotliCompress, constants, gzip } from "node:zlib";

const [pack, squeeze] = [promisify(gzip), promisify(brotliCompress)];
const folder = new URL("dist/", import.meta.url).pathname;
for (const entry of await readdir(folder, { recursive: true, withFileTypes: true })) {
  if (!entry.isFile() || !/\.(js|css|svg|json)$/.test(entry.name)) continue;
  const path = join(entry.parentPath, entry.name);
  const body = await readFile(path);
  await writeFile(`${path}.gz`, await pack(body, { level: 9 }));
  await writeFile(`${path}.br`, await squeeze(body, { params: { [constants.BROTLI_PARAM_QUALITY]: 11 } }));
}

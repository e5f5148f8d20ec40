// Bundles what browsers run into the Python package, with the licences of what is in it. The same sources and lock
// file give the same bytes.
import { build } from "esbuild";
import { readFile, writeFile } from "node:fs/promises";

const here = new URL(".", import.meta.url).pathname;
const into = process.argv[2] ?? `${here}../src/ramulus/page/templates`;
const shared = { bundle: true, minify: true, target: "es2022", charset: "utf8", legalComments: "none", absWorkingDir: here, metafile: true };
const banner = (more) => ({ js: `// Built from web/ by \`npm run build\`; change it there.${more}` });

const bench = await build({ ...shared, entryPoints: ["src/main.mjs"], format: "iife", outfile: `${into}/bench.js`, banner: banner(" It holds modules of D3 (https://d3js.org): see bench.LICENSE.txt.") });
await build({ ...shared, entryPoints: ["src/hands.mjs"], format: "iife", globalName: "hands", outfile: `${into}/hands.js`, banner: banner("") });

const packages = new Set(Object.keys(bench.metafile.inputs).flatMap((file) => file.match(/^node_modules\/((?:@[^/]+\/)?[^/]+)/)?.[1] ?? []));
const texts = await Promise.all([...packages].sort().map(async (name) => `${name}\n\n${(await readFile(`${here}node_modules/${name}/LICENSE`, "utf8")).trim()}\n`));
await writeFile(`${into}/bench.LICENSE.txt`, `What bench.js holds besides Ramulus's own code.\n\n${texts.join("\n---\n\n")}`);

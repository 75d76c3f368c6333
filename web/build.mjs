// Builds the page's script and style into the Python package.
import { build } from "esbuild";
import { fileURLToPath } from "node:url";

const here = (path) => fileURLToPath(new URL(path, import.meta.url));
await build({
  entryPoints: { page: here("src/main.ts"), style: here("src/style.css") },
  outdir: here("../src/tinrocket/page/built"),
  bundle: true,
  format: "iife",
  target: "es2022",
  charset: "utf8",
  minify: true,
  legalComments: "none",
  logLevel: "warning",
});

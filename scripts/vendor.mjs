// Copies the browser files that ship with the application, and their licences, out of node_modules.
import { cpSync, mkdirSync, readFileSync, writeFileSync } from "node:fs";

const target = "src/galene/web/shared/static/vendor";
mkdirSync(target, { recursive: true });
const next = "node_modules/@fontsource-variable/atkinson-hyperlegible-next";
const mono = "node_modules/@fontsource-variable/atkinson-hyperlegible-mono";
for (const [from, to] of [
  ["node_modules/htmx.org/dist/htmx.min.js", "htmx.min.js"],
  ["node_modules/htmx.org/LICENSE", "htmx.LICENSE.txt"],
  ["node_modules/@alpinejs/csp/dist/cdn.min.js", "alpine-csp.min.js"],
  ["node_modules/uplot/dist/uPlot.iife.min.js", "uplot.min.js"],
  ["node_modules/uplot/dist/uPlot.min.css", "uplot.min.css"],
  ["node_modules/uplot/LICENSE", "uplot.LICENSE.txt"],
  [`${next}/files/atkinson-hyperlegible-next-latin-wght-normal.woff2`, "atkinson-next.woff2"],
  [`${next}/files/atkinson-hyperlegible-next-latin-ext-wght-normal.woff2`, "atkinson-next-ext.woff2"],
  [`${next}/LICENSE`, "atkinson-next.LICENSE.txt"],
  [`${mono}/files/atkinson-hyperlegible-mono-latin-wght-normal.woff2`, "atkinson-mono.woff2"],
  [`${mono}/LICENSE`, "atkinson-mono.LICENSE.txt"],
]) cpSync(from, `${target}/${to}`);
const card = "src/galene/web/card/static/vendor";
mkdirSync(card, { recursive: true });
cpSync("node_modules/idb/build/index.js", `${card}/idb.js`);
cpSync("node_modules/idb/LICENSE", `${card}/idb.LICENSE.txt`);
const alpine = JSON.parse(readFileSync("node_modules/@alpinejs/csp/package.json", "utf8"));
writeFileSync(`${target}/alpine-csp.LICENSE.txt`, `@alpinejs/csp ${alpine.version}, ${alpine.license} licence, by its authors and contributors.\n`);

// Bundles small apps on real libraries, for the tag to be tried on; and copies what pages load as it is.
import { copyFileSync, mkdirSync, readdirSync, writeFileSync } from "node:fs";
import { fileURLToPath } from "node:url";
import { createElement, useEffect, useState } from "react";
import { renderToString } from "react-dom/server";
import { compile } from "svelte/compiler";
import { build } from "vite";
import { createSSRApp } from "vue";
import { renderToString as vueToString } from "vue/server-renderer";
import { shop } from "./fixtures/shop/hooks.js";
import { Shop as VueShop } from "./fixtures/shop/vue.js";

const here = (path) => fileURLToPath(new URL(path, import.meta.url));
const apps = readdirSync(here("fixtures")).filter((file) => file.endsWith(".js"));

const svelte = {
  name: "svelte",
  transform: (code, id) =>
    id.endsWith(".svelte") ? compile(code, { generate: "client", css: "injected", filename: id }).js : undefined,
};

for (const file of apps)
  await build({
    configFile: false,
    logLevel: "error",
    root: here("."),
    define: { "process.env.NODE_ENV": '"production"', __VUE_OPTIONS_API__: "true", __VUE_PROD_DEVTOOLS__: "false" },
    plugins: [svelte],
    resolve: { alias: { vue: "vue/dist/vue.esm-bundler.js" } },
    build: {
      outDir: here("fixtures/dist"),
      emptyOutDir: false,
      lib: { entry: here(`fixtures/${file}`), formats: ["iife"], name: "fixture", fileName: () => file },
    },
  });
mkdirSync(here("fixtures/dist"), { recursive: true });
for (const [from, to] of [
  ["htmx.org/dist/htmx.min.js", "htmx.js"],
  ["@hotwired/turbo/dist/turbo.es2017-umd.js", "turbo.js"],
  ["bootstrap/dist/js/bootstrap.bundle.min.js", "bootstrap.js"],
  ["bootstrap/dist/css/bootstrap.min.css", "bootstrap.css"],
  ["alpinejs/dist/cdn.min.js", "alpine.js"],
])
  copyFileSync(here(`node_modules/${from}`), here(`fixtures/dist/${to}`));
// The same pages as a server draws them.
const react = renderToString(createElement(shop(createElement, useState, useEffect)));
writeFileSync(here("fixtures/dist/shop-react.html"), react);
writeFileSync(here("fixtures/dist/shop-preact.html"), react.replace(/<!--.*?-->/g, ""));
writeFileSync(here("fixtures/dist/shop-vue.html"), await vueToString(createSSRApp(VueShop)));

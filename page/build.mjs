// Bundles the page and writes it as a C++ source: node build.mjs OUTPUT.cpp
import { createHash } from "node:crypto";
import { readFileSync, readdirSync, statSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";
import { build } from "esbuild";

const here = dirname(fileURLToPath(import.meta.url));
const shared = { bundle: true, minify: true, write: false, charset: "ascii", legalComments: "none", logLevel: "warning" };
const bundled = async (entry, more = {}) =>
  (await build({ ...shared, ...more, entryPoints: [join(here, "src", entry)] })).outputFiles[0].text.trim();

/** What is bundled keeps its terms: the licence and the notice of each package beside it. */
function notices() {
  const texts = [];
  for (const name of ["echarts", "zrender", "tslib"]) {
    const folder = join(here, "node_modules", name);
    const version = JSON.parse(readFileSync(join(folder, "package.json"), "utf8")).version;
    const files = readdirSync(folder)
      .filter((file) => /^(licen[cs]e|notice|copyright)/i.test(file) && statSync(join(folder, file)).isFile()).sort();
    texts.push(`${name} ${version}\n\n${files.map((file) => readFileSync(join(folder, file), "utf8").trim()).join("\n\n")}`);
  }
  return texts.join("\n\n----\n\n") + "\n";
}

/** Byte by byte, so that no letter of it means anything to the compiler. */
function bytes(name, text) {
  const data = [...Buffer.from(text, "utf8")];
  const lines = [];
  for (let at = 0; at < data.length; at += 32) lines.push(data.slice(at, at + 32).join(","));
  return `static const unsigned char ${name}[] = {\n${lines.join(",\n")}};\n`;
}

const sha = (text) => "sha256-" + createHash("sha256").update(text, "utf8").digest("base64");
const script = await bundled("main.ts", { format: "iife", target: "es2022" });
const style = await bundled("style.css");
const text = notices();
writeFileSync(
  process.argv[2],
  `// Made by page/build.mjs.\n#include "report/page_bundle.hpp"\n\nnamespace inchtide::report {\nnamespace {\n` +
    bytes("script", script) + bytes("style", style) + bytes("notices", text) +
    `std::string_view view(const unsigned char* data, std::size_t size) {\n  return {reinterpret_cast<const char*>(data), size};\n}\n` +
    `}  // namespace\n\nstd::optional<PageBundle> page_bundle() {\n  return PageBundle{view(script, sizeof(script)), view(style, sizeof(style)), ` +
    `"${sha(script)}", "${sha(style)}", view(notices, sizeof(notices))};\n}\n\n}  // namespace inchtide::report\n`,
);

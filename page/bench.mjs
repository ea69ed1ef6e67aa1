// What a study's page takes: node page/bench.mjs STUDY.html PACKAGES/ [TIMES]. Medians of so many openings (20).
import { statSync } from "node:fs";
import { createRequire } from "node:module";
import { resolve } from "node:path";

const [file, packages, times = "20"] = process.argv.slice(2);
const { chromium } = createRequire(resolve(packages) + "/")("playwright-core");
const median = (figures) => [...figures].sort((a, b) => a - b)[Math.floor(figures.length / 2)];
const browser = await chromium.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox", "--disable-dev-shm-usage"] });
const opened = [];
const drawn = [];
const moved = [];
let heap = 0;
for (let turn = 0; turn < Number(times); ++turn) {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  // From the start of navigation, as the browser counts it, to the first moment after the last section's first frame at
  // which nothing keeps it busy. Noted in the page: what comes from outside waits for the charts, too.
  await page.addInitScript(() => new MutationObserver((_, watch) => {
    if (!document.querySelector("section#how")) return;
    watch.disconnect();
    requestAnimationFrame(() => setTimeout(() => (window.opened = performance.now())));
  }).observe(document, { childList: true, subtree: true }));
  await page.goto(`file://${resolve(file)}`);
  await page.waitForFunction(() => window.opened);
  opened.push(await page.evaluate(() => window.opened));
  drawn.push(await page.evaluate(async () => {
    const in_view = [...document.querySelectorAll(".plot")].filter((plot) => plot.getBoundingClientRect().top < innerHeight && plot.clientHeight > 0);
    while (!in_view.every((plot) => plot.querySelector("canvas"))) await new Promise((done) => setTimeout(done, 5));
    return performance.now();
  }));
  moved.push(await page.evaluate(() => {
    const picture = document.querySelector("svg.frontier");
    const press = (key) => picture.dispatchEvent(new KeyboardEvent("keydown", { key, bubbles: true }));
    press("End");
    const begin = performance.now();
    for (let k = 0; k < 50; ++k) press("ArrowUp");
    return (performance.now() - begin) / 50;
  }));
  const session = await page.context().newCDPSession(page);
  heap = Math.max(heap, (await session.send("Runtime.getHeapUsage")).usedSize);
  await page.close();
}
await browser.close();
console.log(`file                     ${(statSync(file).size / 1e6).toFixed(2)} MB`);
console.log(`opened, to be used       ${median(opened).toFixed(0)} ms`);
console.log(`charts in view drawn     ${median(drawn).toFixed(0)} ms`);
console.log(`the mark moved by a step ${median(moved).toFixed(2)} ms of scripting`);
console.log(`heap                     ${(heap / 1e6).toFixed(0)} MB`);

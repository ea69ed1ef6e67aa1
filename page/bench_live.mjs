// What a change takes in a live page: node page/bench_live.mjs TOOL MANDATE PACKAGES/ TIMES CAP... Its limit "each holding" is
// changed so many times, from one of these percentages to the next: milliseconds from the key to the frontier that is drawn,
// and to all sections.
import { spawn } from "node:child_process";
import { createRequire } from "node:module";
import { resolve } from "node:path";

const [tool, mandate, packages, times, ...caps] = process.argv.slice(2);
const { chromium } = createRequire(resolve(packages) + "/")("playwright-core");
const median = (figures) => [...figures].sort((a, b) => a - b)[Math.floor(figures.length / 2)];
const server = spawn(tool, ["explore", "--mandate", mandate]);
let said = "";
const address = await new Promise((done) => server.stdout.on("data", (some) => {
  said += some;
  const found = said.match(/http:\S+/);
  if (found) done(found[0]);
}));
const browser = await chromium.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox", "--disable-dev-shm-usage"] });
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
await page.goto(address);
const told = (words) => page.waitForFunction((text) => document.querySelector("footer.live [role=status]")?.textContent.includes(text), words, { timeout: 180_000 });
await told("As the mandate has it.");
await page.evaluate(() => document.getElementById("frontier").scrollIntoView());
const limit = page.getByLabel("each holding");
const moved = [], all = [];
for (let turn = 0; turn < Number(times); ++turn) {
  await page.waitForTimeout(1000);
  await page.evaluate(() => (document.querySelector("footer.live [role=status]").textContent = ""));
  const begin = Date.now();
  await limit.fill(`each <= ${caps[turn % caps.length]}%`);
  await limit.press("Enter");
  await told("Computed in");
  all.push(Date.now() - begin);
  moved.push(Number(await page.locator("footer.live").getAttribute("data-moved")));
}
await browser.close();
server.kill("SIGINT");
console.log(`a limit to the frontier  ${median(moved).toFixed(0)} ms (${Math.min(...moved).toFixed(0)} to ${Math.max(...moved).toFixed(0)})`);
console.log(`a limit to all sections  ${median(all).toFixed(0)} ms`);

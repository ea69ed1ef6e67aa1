// Takes a picture of a study's page, at its frontier: node page/picture.mjs STUDY.html|ADDRESS PICTURE.png PACKAGES/
// At the address of a live one a limit is changed first.
import { createRequire } from "node:module";
import { resolve } from "node:path";

const [where, picture, packages] = process.argv.slice(2);
const { chromium } = createRequire(resolve(packages) + "/")("playwright-core");
const browser = await chromium.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox", "--disable-dev-shm-usage"] });
const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, colorScheme: "light" });
const live = where.startsWith("http:");
await page.goto(live ? where : `file://${resolve(where)}`);
await page.waitForSelector("section#how");
if (live) {
  const told = (words) => page.waitForFunction((text) => document.querySelector("footer.live [role=status]").textContent.includes(text), words, { timeout: 60_000 });
  await told("As the mandate has it.");
  const limit = page.getByLabel("each holding");
  await limit.fill("each outside sector:bonds <= 8%");
  await limit.press("Enter");
  await told("Computed in");
} else {
  await page.getByRole("button", { name: "minimum-variance" }).first().click();
  await page.getByRole("button", { name: "Pin this" }).click();
}
await page.getByRole("button", { name: "maximum-sharpe" }).first().click();
await page.evaluate(() => {
  document.getElementById("frontier").scrollIntoView();
  document.activeElement.blur();
});
await page.waitForTimeout(1000);
await page.screenshot({ path: picture });
await browser.close();

// Takes a picture of a study's page, at its frontier: node page/picture.mjs STUDY.html PICTURE.png PACKAGES/
import { createRequire } from "node:module";
import { resolve } from "node:path";

const [file, picture, packages] = process.argv.slice(2);
const { chromium } = createRequire(resolve(packages) + "/")("playwright-core");
const browser = await chromium.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox", "--disable-dev-shm-usage"] });
const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, colorScheme: "light" });
await page.goto(`file://${resolve(file)}`);
await page.waitForSelector("section#how");
await page.getByRole("button", { name: "minimum-variance" }).first().click();
await page.getByRole("button", { name: "Pin this" }).click();
await page.getByRole("button", { name: "maximum-sharpe" }).first().click();
await page.evaluate(() => {
  document.getElementById("frontier").scrollIntoView();
  document.activeElement.blur();
});
await page.waitForTimeout(1000);
await page.screenshot({ path: picture });
await browser.close();

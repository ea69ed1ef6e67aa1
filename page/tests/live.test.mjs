// The page of a study that is explored, in a real browser: what is changed in it is what the tool computes.
import assert from "node:assert/strict";
import { execFileSync, spawn } from "node:child_process";
import { copyFileSync, existsSync, mkdtempSync, readFileSync, rmSync, symlinkSync, writeFileSync } from "node:fs";
import { createRequire } from "node:module";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { after, before, describe, test } from "node:test";

const { INCHTIDE_TOOL: tool, INCHTIDE_DEMO: demo, INCHTIDE_PACKAGES: packages } = process.env;
const packaged = createRequire(packages);
const { chromium } = packaged("playwright-core");
const axe = readFileSync(packaged.resolve("axe-core/axe.min.js"), "utf8");
const browser_path = ["/usr/bin/chromium", "/usr/bin/chromium-browser"].find(existsSync);
const percent = (figure) => (100 * figure).toFixed(2) + "%";

describe("the live page", { skip: browser_path ? false : "there is no Chromium here" }, () => {
  let folder, server, address, browser, page;
  const wrong = [];

  const corners_of = (file) => JSON.parse(execFileSync(tool, ["frontier", "--mandate", join(folder, file), "--split", "2023-01-01", "--json", "-", "--quiet"],
    { encoding: "utf8", stdio: ["ignore", "pipe", "ignore"], maxBuffer: 1e8 })).result.corners;
  const open = async (where, more = {}) => {
    const opened = await browser.newPage({ viewport: { width: 1280, height: 800 }, colorScheme: "light", reducedMotion: "reduce", ...more });
    opened.on("pageerror", (error) => wrong.push(error.message));
    opened.on("console", (message) => message.type() === "error" && !message.text().includes("422") && wrong.push(message.text()));
    opened.on("request", (request) => new URL(request.url()).origin !== new URL(address).origin && !request.url().startsWith("data:") && !request.url().startsWith("blob:") && wrong.push(`asked for ${request.url()}`));
    await opened.addInitScript(() => document.addEventListener("securitypolicyviolation", (event) => console.error(`policy: ${event.violatedDirective}`)));
    await opened.goto(where);
    return opened;
  };
  const told = (words) => page.waitForFunction((text) => document.querySelector("footer.live [role=status]")?.textContent.includes(text), words, { timeout: 60_000 });
  const computed = async () => told("changed. Computed in");
  const limit = (name) => page.locator(`.rows input[aria-label="${name}"]`);
  const type = async (name, text) => {
    await page.evaluate(() => (document.querySelector("footer.live [role=status]").textContent = ""));
    await limit(name).fill(text);
    await limit(name).press("Enter");
  };
  /** The ends of the frontier as the page has them, beside a mandate's. */
  const ends_are_of = async (corners) => {
    const headline = () => page.locator(".at-mark .headline b").allTextContents();
    await page.locator("svg.frontier").focus();
    for (const [key, corner] of [["Home", corners[0]], ["End", corners.at(-1)]]) {
      await page.keyboard.press(key);
      assert.deepEqual((await headline()).slice(0, 2), [percent(corner.expected_return), percent(corner.volatility)]);
    }
  };

  before(async () => {
    folder = mkdtempSync(join(tmpdir(), "inchtide-live-"));
    for (const name of ["prices", "rates"]) symlinkSync(join(demo, name), join(folder, name));
    for (const name of ["mandate.toml", "tags.csv", "identifiers.csv"]) copyFileSync(join(demo, name), join(folder, name));
    server = spawn(tool, ["explore", "--mandate", join(folder, "mandate.toml")]);
    let said = "";
    address = await new Promise((done, failed) => {
      server.stdout.on("data", (some) => {
        said += some;
        const found = said.match(/http:\S+/);
        if (found) done(found[0]);
      });
      server.on("exit", () => failed(new Error(said)));
    });
    browser = await chromium.launch({ executablePath: browser_path, args: ["--no-sandbox", "--disable-dev-shm-usage"] });
    page = await open(address);
    await told("As the mandate has it.");
  });
  after(async () => {
    await browser?.close();
    server?.kill("SIGKILL");
    rmSync(folder, { recursive: true, force: true });
  });

  test("a link opens with the asset and the run that it picks", async () => {
    const picks = ["KELPFARM", "maximum-sharpe, monthly"];
    const other = await open(`${address}&${new URLSearchParams({ pick: picks.join("\n") })}`);
    await other.waitForFunction((name) => document.querySelector("[aria-label='Which held']")?.value === name, picks[1], { timeout: 60_000 });
    assert.match(await other.locator(".picked-line").textContent(), /KELPFARM, maximum-sharpe, monthly/);
    await other.close();
  });

  test("has all sections, and a token that has left the address", async () => {
    const names = await page.$$eval("main section h2", (heads) => heads.map((head) => head.firstChild.textContent));
    assert.deepEqual(names, ["Prices", "Returns", "Relations", "Estimate", "Frontier", "Weights", "Rehearsal", "How it was made"]);
    assert.ok(address.includes("token="));
    assert.ok(!page.url().includes("token="));
    await ends_are_of(corners_of("mandate.toml"));
    await page.reload(); // the tab still has it
    await told("As the mandate has it.");
    const copied = await open(page.url()); // another one doesn't
    await copied.waitForSelector(".problem");
    assert.match(await copied.locator(".problem").textContent(), /token/);
    await copied.close();
    wrong.splice(0, wrong.length, ...wrong.filter((text) => !text.includes("401")));
  });

  test("a limit that is changed moves the frontier to the tool's, and the old one stays as a faint line", async () => {
    assert.equal(await page.locator(".curve.before").count(), 0);
    const before = await page.locator("svg.frontier .curve").getAttribute("points");
    await type("each holding", "each outside sector:bonds <= 8%");
    await computed();
    assert.equal(await page.locator(".curve.before").count(), 1);
    assert.notEqual(await page.locator("svg.frontier .curve:not(.before)").getAttribute("points"), before);
    await page.getByRole("button", { name: "Keep as mandate" }).click();
    await told("Kept as mandate-2.toml");
    const corners = corners_of("mandate-2.toml");
    assert.notDeepEqual(corners, corners_of("mandate.toml"));
    await ends_are_of(corners);
    const rows = await page.locator("#frontier .table").first().locator("tbody tr").count();
    assert.equal(rows, Math.min(corners.length, 30), "its table is of the same corners");
  });

  test("limits that cannot hold are said in a sentence, and what is seen stays", async () => {
    const points = await page.locator("svg.frontier .curve:not(.before)").getAttribute("points");
    await type("each holding", "each >= 10%");
    await told("from before the last change");
    assert.match(await page.locator(".changes .problem").textContent(), /cannot all hold.*each holding.*160%/);
    assert.equal(await limit("each holding").getAttribute("aria-invalid"), "true");
    assert.equal(await page.locator("svg.frontier .curve:not(.before)").getAttribute("points"), points);
    assert.ok(await page.getByRole("button", { name: "Keep as mandate" }).isDisabled());
  });

  test("what was changed is undone and made again", async () => {
    await page.getByRole("button", { name: "Undo" }).click();
    await computed();
    assert.equal(await limit("each holding").inputValue(), "each outside sector:bonds <= 8%");
    assert.equal(await page.locator(".changes .problem").textContent(), "");
    await page.getByRole("button", { name: "Undo" }).click();
    await told("As the mandate has it.");
    await ends_are_of(corners_of("mandate.toml"));
    await page.getByRole("button", { name: "Redo" }).click();
    await computed();
    await ends_are_of(corners_of("mandate-2.toml"));
    await page.getByRole("button", { name: "As the mandate" }).click();
    await told("As the mandate has it.");
  });

  test("of limited positions the best so far is shown, and then what is proven", async () => {
    const asked = [];
    await page.route("**/chapter", async (route) => {
      const body = route.request().postDataJSON();
      if (body.command !== "weigh") return route.continue();
      asked.push(body.patience);
      return route.continue({ postData: JSON.stringify(body.patience === undefined ? body : { ...body, patience: 0 }) }); // stopped at once
    });
    const sentences = [];
    await page.exposeFunction("inchtide_said", (text) => sentences.push(text));
    await page.evaluate(() => new MutationObserver(() => window.inchtide_said(document.querySelector("#weigh").textContent)).observe(document.querySelector("#weigh"), { childList: true, subtree: true }));
    await type("each holding", "holdings <= 4");
    await computed();
    await page.unroute("**/chapter");
    assert.deepEqual(asked, [0.3, undefined]);
    const stopped = sentences.findIndex((text) => text.includes("The search was stopped: ")), proven = sentences.findLastIndex((text) => text.includes("Proven: no other choice"));
    assert.ok(stopped >= 0 && proven > stopped, `${stopped}, ${proven} of ${sentences.length}`);
    assert.ok(!(await page.locator("#weigh").textContent()).includes("The search was stopped"));
    await page.evaluate(() => (document.querySelector("footer.live [role=status]").textContent = ""));
    await page.getByRole("button", { name: "Undo" }).click();
    await told("As the mandate has it.");
  });

  test("up and down move the figure at the caret", async () => {
    await limit("abroad").focus();
    await page.keyboard.press("End");
    await page.keyboard.press("ArrowLeft"); // before the sign
    await page.evaluate(() => (document.querySelector("footer.live [role=status]").textContent = ""));
    await page.keyboard.press("ArrowDown");
    await computed();
    assert.equal(await limit("abroad").inputValue(), "sector:abroad <= 19%");
    assert.equal(await page.evaluate(() => document.activeElement.getAttribute("aria-label")), "abroad", "the focus stays");
  });

  test("a method, a limit that is new, and one that goes, act in all sections", async () => {
    await page.selectOption('select[aria-label="What to change"]', "estimate");
    await type("covariance", "one-factor");
    await computed();
    await page.selectOption('select[aria-label="What to change"]', "limits");
    await page.getByLabel("What to add").fill("no more power");
    await page.getByLabel("Its value").fill("sector:power <= 5%");
    await page.getByRole("button", { name: "Add", exact: true }).click();
    await told("3 changed. Computed");
    await page.getByRole("button", { name: "×" }).and(page.locator('[title="Take metals out"]')).click();
    await told("4 changed. Computed");
    assert.equal(await limit("metals").count(), 0);
    await page.getByRole("button", { name: "Keep as mandate" }).click();
    await told("Kept as mandate-3.toml");
    await ends_are_of(corners_of("mandate-3.toml"));
    const kept = readFileSync(join(folder, "mandate-3.toml"), "utf8");
    assert.match(kept, /"no more power" = "sector:power <= 5%"/);
    assert.match(kept, /# comm|# commission/); // the comments are still there
    assert.match(await page.locator("#how").textContent(), /one-factor/);
  });

  test("a mandate whose limits conflict is shown as far as it goes, and mended in the page", async () => {
    const text = readFileSync(join(folder, "mandate.toml"), "utf8");
    const conflicting = text.replace("each outside sector:bonds <= 15%", "each <= 5%").replace("[universe]\n", '[universe]\ncurrent = "now.csv"\n');
    assert.notEqual(conflicting, text);
    writeFileSync(join(folder, "conflicting.toml"), conflicting);
    writeFileSync(join(folder, "now.csv"), "asset,weight\nHOLLBOND,60%\nKELPFARM,40%\n");
    const other = spawn(tool, ["explore", "--mandate", join(folder, "conflicting.toml")]);
    const where = await new Promise((done) => other.stdout.on("data", (some) => /http:\S+/.test(some) && done(String(some).match(/http:\S+/)[0])));
    const first = [page, address];
    address = where;
    page = await open(where);
    try {
      await page.waitForFunction(() => !document.body.textContent.includes("Being computed"), undefined, { timeout: 60_000 });
      assert.match(await page.locator("#frontier .problem").first().textContent(), /cannot all hold/);
      assert.ok((await page.locator("#inspect .table").count()) > 0);
      await type("each holding", "each outside sector:bonds <= 15%");
      await computed();
      assert.equal(await page.locator("#frontier .problem:not(:empty)").count(), 0);
      const beside = () => page.locator(".at-mark").textContent();
      assert.match(await beside(), /Beside what is held: .* to trade/, "what is held is the first pin");
      await page.getByRole("button", { name: "Take the pin off" }).click();
      assert.doesNotMatch(await beside(), /Beside what is held/);
      await page.getByRole("button", { name: "Pin what is held" }).click();
      const orders = () => page.locator(".orders tbody").textContent();
      await page.locator("svg.frontier").focus();
      await page.keyboard.press("End");
      const before = await orders();
      await type("each holding", "each outside sector:bonds <= 9%");
      await computed();
      assert.match(await beside(), /Beside what is held: .* to trade/, "under other limits it stays");
      assert.notEqual(await orders(), before);
      assert.equal(await page.$$eval(".at-mark .bar", (bars) => bars.find((bar) => bar.textContent.includes("HOLLBOND")).lastChild.textContent !== ""), true);
    } finally {
      await page.close();
      [page, address] = first;
      other.kill("SIGINT");
    }
  });

  test("nobody is shut out, and nothing went wrong on the way", async () => {
    for (const width of [1280, 390]) {
      await page.setViewportSize({ width, height: 800 });
      await page.evaluate(axe);
      for (const where of [".changes", "footer.live", "#frontier"]) {
        const found = await page.evaluate((only) => window.axe.run(only), where);
        assert.deepEqual(found.violations.map(({ id, nodes }) => `${id}: ${nodes.map((node) => node.html.slice(0, 120)).join(" ")}`), [], `${where} at ${width}`);
      }
      assert.ok(await page.evaluate(() => document.documentElement.scrollWidth <= window.innerWidth), "nothing is wider than the page");
    }
    assert.deepEqual(wrong, []);
  });

  test("when the tool has ended, the page says so", async () => {
    await page.setViewportSize({ width: 1280, height: 800 });
    const ended = new Promise((done) => server.on("exit", done));
    await type("food", "sector:food <= 12%");
    server.kill("SIGINT"); // in mid-solve
    assert.equal(await ended, 0);
    await type("food", "sector:food <= 11%");
    await page.waitForFunction(() => document.querySelector(".changes .problem").textContent.includes("no longer answers"));
  });
});

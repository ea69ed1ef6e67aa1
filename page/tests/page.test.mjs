// The page of the demo study in a real browser, beside what the tool says.
import assert from "node:assert/strict";
import { execFileSync } from "node:child_process";
import { cpSync, existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { createRequire } from "node:module";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { after, before, describe, test } from "node:test";

const { INCHTIDE_TOOL: tool, INCHTIDE_DEMO: demo, INCHTIDE_PACKAGES: packages } = process.env;
const packaged = createRequire(packages);
const { chromium } = packaged("playwright-core");
const axe = readFileSync(packaged.resolve("axe-core/axe.min.js"), "utf8");
const browser_path = ["/usr/bin/chromium", "/usr/bin/chromium-browser"].find(existsSync);

const run = (...words) => execFileSync(tool, words, { encoding: "utf8", stdio: ["ignore", "pipe", "ignore"], maxBuffer: 1e8 });
const result = (...words) => JSON.parse(run(...words, "--json", "-", "--quiet")).result;
const percent = (figure) => (100 * figure).toFixed(2).replace(/^-0\.00$/, "0.00") + "%";
const mandate = join(demo ?? "", "mandate.toml");

describe("the page", { skip: browser_path ? false : "there is no Chromium here" }, () => {
  let folder, browser, page;
  const wrong = [];

  const open = async (file, hash = "", more = {}) => {
    const opened = await browser.newPage({ viewport: { width: 1280, height: 800 }, colorScheme: "light", ...more });
    opened.on("pageerror", (error) => wrong.push(error.message));
    opened.on("console", (message) => message.type() === "error" && wrong.push(message.text()));
    opened.on("request", (request) => request.url().startsWith("http") && wrong.push(`asked for ${request.url()}`));
    await opened.addInitScript(() => document.addEventListener("securitypolicyviolation", (event) => console.error(`policy: ${event.violatedDirective}`)));
    await opened.goto(`file://${file}${hash}`);
    await opened.waitForSelector("section#how");
    return opened;
  };
  const study = () => join(folder, "study", "study.html");

  before(async () => {
    folder = mkdtempSync(join(tmpdir(), "inchtide-page-"));
    run("report", "--mandate", mandate, "--out", join(folder, "study"), "--quiet");
    browser = await chromium.launch({ executablePath: browser_path, args: ["--no-sandbox", "--disable-dev-shm-usage"] });
    page = await open(study());
  });
  after(async () => {
    await browser?.close();
    rmSync(folder, { recursive: true, force: true });
  });

  test("has a section a stage, and a drawing in each that comes into view", async () => {
    const names = await page.$$eval("main section h2", (heads) => heads.map((head) => head.firstChild.textContent));
    assert.deepEqual(names, ["Prices", "Returns", "Relations", "Estimate", "Frontier", "Weights", "Rehearsal", "How it was made"]);
    for (const id of ["inspect", "describe", "relate", "frontier", "weigh", "rehearse"]) {
      await page.evaluate((name) => document.getElementById(name).scrollIntoView(), id);
      await page.waitForSelector(`#${id} .plot canvas`);
    }
  });

  test("says of each table what the command says, to the digit", async () => {
    const said = run("frontier", "--mandate", mandate, "--split", "2023-01-02", "--draws", "200", "--wide");
    const rows = await page.$$eval("#frontier .table", (tables) =>
      [...tables].flatMap((table) => [...table.querySelectorAll("tbody tr")].map((row) => [...row.cells].map((cell) => cell.textContent))));
    assert.ok(rows.length > 10);
    const lines = said.split("\n").map((line) => line.trim().split(/\s{2,}/));
    for (const row of rows) {
      const words = row.filter((text) => text !== "");
      assert.ok(lines.some((line) => words.every((word) => line.join("  ").includes(word))), `not said by the tool: ${row.join(" | ")}`);
    }
  });

  test("correlations are first those of the study's own interval, and others are chosen", async () => {
    const choice = page.getByLabel("Which heat");
    const title = () => page.locator("#relate .family:has(select[aria-label='Which heat']) figcaption b").textContent();
    const options = await choice.locator("option").allTextContents();
    assert.deepEqual(options, ["the study's own", "1d", "1w", "1m"]);
    assert.equal(await choice.inputValue(), "the study's own");
    assert.equal(await title(), "Correlations");
    await choice.selectOption("1w");
    assert.match(await title(), /weekly/);
    await choice.selectOption("the study's own");
  });

  test("correlations of any days are the tool's, in any order; a cell opens its pair", async () => {
    await page.evaluate(() => document.getElementById("any-days").scrollIntoView());
    const [from, to] = ["2021-12-31", "2024-06-28"]; // month ends: returns begin and end on them
    const day = (text) => Math.round(Date.parse(text) / 86_400_000);
    await page.evaluate((hash) => (location.hash = hash), `days=${day(from)},${day(to)}`);
    const said = page.locator("#any-days > p").first();
    await page.waitForFunction(() => /30 returns/.test(document.querySelector("#any-days > p").textContent));
    const plain = result("relate", "--mandate", mandate, "--from", from, "--to", to);
    assert.match(await said.textContent(), new RegExp(`average correlation ${plain.average_correlation.toFixed(2)}, over the whole`));
    const matrix = async (order) => {
      await page.getByLabel("Order of the matrix").selectOption(order);
      const [download] = await Promise.all([page.waitForEvent("download"), page.locator("#chart-window").getByRole("button", { name: "CSV" }).click()]);
      const [head, ...rows] = readFileSync(await download.path(), "utf8").trim().split("\n").map((line) => line.split(","));
      return { names: head.slice(1), values: rows.map((row) => row.slice(1).map(Number)) };
    };
    for (const order of ["as given", "sector", "cluster"]) {
      const { names, values } = await matrix(order);
      assert.deepEqual([...names].sort(), [...plain.assets].sort());
      names.forEach((one, i) => names.forEach((other, j) => {
        const expected = plain.correlation[plain.assets.indexOf(one)][plain.assets.indexOf(other)];
        assert.ok(Math.abs(values[i][j] - expected) < 1e-7, `${one} and ${other}: ${values[i][j]}, ${expected}`);
      }));
      if (order === "cluster") assert.deepEqual(names, result("relate", "--mandate", mandate, "--order", "cluster").assets);
    }
    const plot = page.locator("#chart-window .plot");
    await plot.locator("canvas").waitFor();
    const box = await plot.boundingBox();
    await page.mouse.click(box.x + 96 + (box.width - 116) * (2.5 / 16), box.y + 10 + (box.height - 94) * (7.5 / 16));
    await page.locator("#chart-pair").waitFor();
    assert.match(await page.locator("#chart-pair figcaption").textContent(), /^\w+ and \w+ correlation over the last 12 returns/);
    const [pair] = await Promise.all([page.waitForEvent("download"), page.locator("#chart-pair").getByRole("button", { name: "CSV" }).click()]);
    const title = (await page.locator("#chart-pair figcaption b").textContent()).split(" and ");
    const rolled = result("relate", "--mandate", mandate, "--rolling", "1y", "--pair", title.join(":")).rolling[0];
    const line = readFileSync(await pair.path(), "utf8").trim().split("\n").map((text) => text.split(",")).filter(([name]) => name === title.join(" and "));
    assert.equal(line.length, rolled.days.length);
    line.forEach(([, on, value], k) => assert.ok(on === rolled.days[k] && Math.abs(Number(value) - rolled.correlation[k]) < 1e-7, `${on}: ${value}, ${rolled.correlation[k]}`));
    await page.getByRole("slider", { name: "First day" }).fill("0");
    await page.locator("#any-days").getByRole("button", { name: "Whole span" }).first().click();
    await page.waitForFunction(() => /70 returns: average correlation -?\d\.\d\d\.$/.test(document.querySelector("#any-days > p").textContent));
  });

  test("prices are seen on a scale of equal ratios", async () => {
    const plot = page.locator("#chart-rebased .plot");
    await plot.scrollIntoViewIfNeeded();
    await plot.locator("canvas").waitFor();
    const seen = async () => (await plot.screenshot()).toString("base64");
    const before = await seen();
    await page.locator("#chart-rebased").getByRole("button", { name: "Log scale" }).click();
    assert.notEqual(await seen(), before);
    await page.locator("#chart-rebased").getByRole("button", { name: "Log scale" }).click();
    assert.equal(await page.locator("#chart-growth").getByRole("button", { name: "Log scale" }).count(), 0, "growth may be below nothing");
  });

  test("from what is held, the orders to a mark are those that the tool makes", async () => {
    const copy = join(folder, "held");
    cpSync(demo, copy, { recursive: true });
    const own = join(copy, "held.toml");
    const figure = (text) => Number(text.replaceAll(",", ""));
    // Costs that hang on amounts; then also a cash floor and a smallest order; then sales that are too small to be made, so that purchases shrink; then tiers and impact.
    const notes = { shrunk: /Purchases are ([\d.]+%) of/, scaled: /they go to ([\d.]+%) of what they are/, short: /Cash ends ([\d,]+) below its floor/ };
    const seen = new Set();
    const tiers = (text) => text.replace("bps = 12 ", 'tiers = ["0: 25bp", "300000: 15bp", "1500000: 5bp"] ').replace("[costs.all]", "[costs.all]\nimpact = 0.4");
    for (const more of ["", "cash_floor = \"4%\"\nsmallest_order = 60000", "smallest_order = 2_200_000", "tiers"]) {
      const text = readFileSync(mandate, "utf8");
      writeFileSync(own, (more === "tiers" ? tiers(text) : text).replace("[universe]", `[universe]\ncurrent = "held.csv"`).replace(/^(cash_floor|smallest_order).*$/gm, more === "" ? "$&" : "").replace("[rehearsal]", `[rehearsal]\n${more === "tiers" ? "" : more}`));
      run("report", "--mandate", own, "--out", join(folder, "held-study"), "--quiet");
      const other = await open(join(folder, "held-study", "study.html"));
      await other.waitForSelector(".orders table");
      const { corners } = result("frontier", "--mandate", own, "--split", "2023-01-02");
      for (const mark of [0.03, 0.4, 0.71, 0.98].map((share) => share * (corners.length - 1))) {
        const at = Math.min(Math.floor(mark), corners.length - 2);
        const gain = corners[at].expected_return + (mark - at) * (corners[at + 1].expected_return - corners[at].expected_return);
        await other.evaluate((hash) => (location.hash = hash), `mark=${mark}&pin=held`);
        await other.waitForFunction((text) => document.querySelector(".at-mark .headline b").textContent === text, percent(gain));
        const rows = await other.$$eval(".orders tbody tr", (lines) => lines.map((line) => [...line.cells].map((cell) => cell.textContent)));
        const said = await other.locator(".orders p").first().textContent();
        const words = ["weigh", "--mandate", own, "--split", "2023-01-02", "--aim", `target-return=${(100 * gain).toFixed(10)}%`, "--orders", join(folder, "o.csv")];
        const { orders } = result(...words);
        const [shown, printed] = [await other.locator(".orders").last().textContent(), run(...words, "--wide").replaceAll(/\s+/g, " ")];
        for (const [name, note] of Object.entries(notes)) {
          const told = note.exec(printed)?.[1];
          if (told !== undefined) seen.add(name);
          assert.equal(note.exec(shown)?.[1], told, `${name} is said by both: ${more}, ${mark}`);
        }
        assert.deepEqual(rows.map(([asset, side]) => [asset, side]), orders.orders.map(({ asset, side }) => [asset, side]), `${more}, ${mark}`);
        rows.forEach(([asset, , value, units, price, cost], k) => {
          const one = orders.orders[k];
          assert.ok(Math.abs(figure(value) - one.value) < 1.5, `${asset}: ${value}, ${one.value}`);
          assert.ok(Math.abs(figure(cost) - one.cost) < 0.51, `${asset}: ${cost}, ${one.cost}`);
          assert.ok(Math.abs(figure(units) / one.units - 1) < 0.006 && Math.abs(figure(price) / one.price - 1) < 0.006, `${asset}: ${units}, ${price}`);
        });
        const [, total, left, cash] = /They cost ([\d,]+).* of [\d,]+; ([\d,]+) is left, (-?[\d,]+) of it cash/.exec(said);
        assert.ok(Math.abs(figure(total) - orders.cost) < 1 && Math.abs(figure(left) - orders.wealth_after) < 2 && Math.abs(figure(cash) - orders.cash_after) < 3, `${said} ${JSON.stringify({ ...orders, orders: 0 })}`);
      }
      await other.close();
    }
    assert.deepEqual([...seen].sort(), ["scaled", "shrunk"]);
  });

  test("in whole lots the orders to a mark are those that the tool makes, unit by unit", async () => {
    const copy = join(folder, "lots");
    cpSync(demo, copy, { recursive: true });
    const own = join(copy, "whole-units.toml");
    run("report", "--mandate", own, "--out", join(folder, "lots-study"), "--quiet");
    const other = await open(join(folder, "lots-study", "study.html"));
    await other.waitForSelector(".orders table");
    const figure = (text) => Number(text.replaceAll(",", ""));
    const { corners } = result("frontier", "--mandate", own, "--split", "2023-01-01");
    let small = 0;
    for (const mark of [0.03, 0.23, 0.5, 0.77, 0.97].map((share) => share * (corners.length - 1))) {
      const at = Math.min(Math.floor(mark), corners.length - 2);
      const gain = corners[at].expected_return + (mark - at) * (corners[at + 1].expected_return - corners[at].expected_return);
      await other.evaluate((hash) => (location.hash = hash), `mark=${mark}&pin=held`);
      await other.waitForFunction((text) => document.querySelector(".at-mark .headline b").textContent === text, percent(gain));
      const rows = await other.$$eval(".orders tbody tr", (lines) => lines.map((line) => [...line.cells].map((cell) => cell.textContent)));
      const { orders } = result("weigh", "--mandate", own, "--split", "2023-01-01", "--aim", `target-return=${(100 * gain).toFixed(10)}%`, "--orders", join(folder, "o.csv"));
      assert.deepEqual(rows.map(([asset, side, , units]) => [asset, side, figure(units)]), orders.orders.map(({ asset, side, units }) => [asset, side, units]), `at ${mark}`);
      for (const { asset, units } of orders.orders) {
        assert.equal(units % (asset.startsWith("MARROW") ? 10 : 1), 0);
        small += units < 1000 ? 1 : 0;
      }
      const [, , left, cash] = /They cost ([\d,]+).* of [\d,]+; ([\d,]+) is left, (-?[\d,]+) of it cash/.exec(await other.locator(".orders p").first().textContent());
      assert.ok(Math.abs(figure(left) - orders.wealth_after) < 1 && Math.abs(figure(cash) - orders.cash_after) < 1);
    }
    assert.ok(small > 0, "units are shown one by one");
    await other.close();
  });

  test("what else might have come of the baseline is a fan by day, the tool's", async () => {
    const box = page.locator("#chart-futures");
    await box.scrollIntoViewIfNeeded();
    const [download] = await Promise.all([page.waitForEvent("download"), box.getByRole("button", { name: "CSV" }).click()]);
    const rows = readFileSync(await download.path(), "utf8").trim().split("\n").slice(1).map((line) => line.split(","));
    const { fan_days, runs } = JSON.parse(readFileSync(join(folder, "study", "rehearse.json"), "utf8")).result.futures;
    const { fan } = runs[0];
    const band = rows.filter(([name]) => name === "90 of 100");
    assert.deepEqual(band.map(([, day]) => day), fan_days);
    band.forEach(([, day, low, high], k) => assert.ok(Math.abs(low * 1e6 / fan["0.05"][k] - 1) < 1e-5 && Math.abs(high * 1e6 / fan["0.95"][k] - 1) < 1e-5, `${day}: ${low}, ${high}`));
    assert.ok(rows.some(([name]) => name === "what happened"));
    const pale = await box.locator(".key i").evaluateAll((swatches) => swatches.map((one) => Number(one.style.opacity)));
    assert.ok(pale[0] < pale[1], "two of one colour are told apart");
  });

  test("what each history holds is a strip of its days, holes as the inspection has them", async () => {
    const box = page.locator("#chart-days");
    await box.scrollIntoViewIfNeeded();
    const [download] = await Promise.all([page.waitForEvent("download"), box.getByRole("button", { name: "CSV" }).click()]);
    const rows = readFileSync(await download.path(), "utf8").trim().split("\n").slice(1).map((line) => line.split(","));
    const { assets, findings } = result("inspect", "--mandate", mandate);
    for (const { asset, from, to, holes } of assets) {
      const spans = rows.filter(([kind, name]) => kind === "prices" && name === asset);
      assert.equal(spans[0][2], from);
      assert.equal(spans.at(-1)[3], to);
      assert.equal(holes > 0, spans.length > 1, asset);
      const first = rows.find(([kind, name]) => kind === "holes" && name === asset);
      assert.equal(first?.[2], findings.find((one) => one.kind === "holes" && one.asset === asset)?.day);
    }
    assert.ok(rows.some(([kind]) => kind === "holes"));
  });

  test("a mean is drawn with its standard error, all rows on one scale", async () => {
    const { assets, benchmark } = result("describe", "--mandate", mandate);
    const all = [...assets, benchmark].map((one) => [one.mean_arithmetic - one.standard_error, one.mean_arithmetic, one.mean_arithmetic + one.standard_error]);
    const drawn = await page.locator("#describe .table").first().locator("tbody tr").evaluateAll((lines) => lines.map((line) => {
      const [, bar] = line.querySelectorAll("line");
      return [bar.x1.baseVal.value, line.querySelector("circle").cx.baseVal.value, bar.x2.baseVal.value];
    }));
    assert.equal(drawn.length, all.length);
    const [figures, places] = [all.flat(), drawn.flat()];
    const scale = (places.at(-1) - places[0]) / (figures.at(-1) - figures[0]);
    places.forEach((place, k) => assert.ok(Math.abs(place - places[0] - scale * (figures[k] - figures[0])) < 0.01, `${k}: ${place}`));
    assert.ok(scale > 0);
  });

  test("a table is sorted by any of its headings, figures as figures", async () => {
    const table = page.locator("#describe .table").first();
    const head = table.locator("th", { hasText: /volatility/i }).first();
    const column = await head.evaluate((cell) => cell.cellIndex);
    const figures = () => table.locator("tbody tr").evaluateAll((rows, at) => rows.map((row) => parseFloat(row.cells[at].textContent)), column);
    await head.locator("button").click();
    const falling = await figures();
    assert.deepEqual(falling, [...falling].sort((a, b) => b - a));
    assert.ok(new Set(falling).size > 10);
    await head.locator("button").click();
    assert.deepEqual(await figures(), [...falling].reverse());
    assert.equal(await head.getAttribute("aria-sort"), "ascending");
  });

  test("an asset that is picked is picked everywhere, and a link opens the same view", async () => {
    await page.locator("#describe .pick", { hasText: "KELPFARM" }).first().click();
    await page.waitForFunction(() => document.querySelectorAll("#estimate .pick[aria-pressed=true]").length > 0);
    assert.match(await page.locator(".picked-line").textContent(), /KELPFARM/);
    await page.locator("svg.frontier").focus();
    await page.keyboard.press("End");
    await page.keyboard.press("PageUp");
    await page.waitForFunction(() => location.hash.includes("mark="));
    const hash = await page.evaluate(() => location.hash);
    const other = await open(study(), hash);
    assert.equal(await other.locator(".at-mark .headline").textContent(), await page.locator(".at-mark .headline").textContent());
    assert.match(await other.locator(".picked-line").textContent(), /KELPFARM/);
    await other.close();
    await page.locator(".picked-line button").click();
    assert.equal(await page.locator(".pick[aria-pressed=true]").count(), 0);
  });

  test("a run that is picked shows its weights and its trades, as the tool has them, and a link opens them", async () => {
    const name = "maximum-sharpe, to the edge";
    const choice = (which) => page.getByRole("combobox", { name: `Which ${which}` }).inputValue();
    await page.getByRole("button", { name, exact: true }).first().click();
    assert.deepEqual([await choice("held"), await choice("schedules"), await choice("costs")], [name, "maximum-sharpe", "maximum-sharpe"]);
    const rows = page.locator("#rehearse tr.picked");
    assert.ok(await rows.count() > 3, "it is picked in all tables");
    for (const text of await rows.allTextContents()) assert.match(text, /to the edge/);

    const box = page.locator(`[id="chart-held-${name}"]`);
    await box.scrollIntoViewIfNeeded();
    const [download] = await Promise.all([page.waitForEvent("download"), box.getByRole("button", { name: "CSV" }).click()]);
    const drawn = readFileSync(await download.path(), "utf8").trim().split("\n").slice(1).map((line) => line.split(","));
    const [head, ...days] = readFileSync(join(folder, "study", "rehearse", "daily_weights.csv"), "utf8").trim().split("\n").map((line) => line.replace(/^"(.*)"/, (_, run) => run.replace(", ", "; ")).split(","));
    const by_day = new Map(days.filter(([run]) => run === name.replace(", ", "; ")).map((cells) => [cells[1], cells]));
    const of = (asset) => head.indexOf(asset);
    const { trades } = JSON.parse(readFileSync(join(folder, "study", "rehearse.json"), "utf8")).result.runs.find((run) => run.name === name);
    const columns = drawn.filter(([series]) => series === "turnover");
    assert.deepEqual(columns.map(([, day]) => day), trades.map(({ traded }) => traded));
    columns.forEach(([, , figure], k) => assert.ok(Math.abs(figure - trades[k].turnover) < 1e-5 * trades[k].turnover + 1e-12));
    const areas = drawn.filter(([series]) => series !== "turnover" && series !== ""); // what is owed lies below 0, without a name of its own
    for (const [asset, day, low, high] of areas) assert.ok(Math.abs(high - low - Math.max(0, by_day.get(day)[of(asset)])) < 1.2e-5, `${asset} ${day}: ${low} to ${high}, ${by_day.get(day)[of(asset)]}`);
    const drawn_days = new Set(areas.map(([, day]) => day));
    assert.ok(trades.length > 20 && trades.every(({ traded }) => drawn_days.has(traded)));
    await page.waitForTimeout(250);
    const linked = await open(study(), await page.evaluate(() => location.hash));
    assert.equal(await linked.getByRole("combobox", { name: "Which held" }).inputValue(), name);
    await linked.close();
    await page.getByRole("button", { name: "Clear" }).click();
  });

  test("along the frontier its figures are those of the tool, from corner to corner", async () => {
    const picture = page.locator("svg.frontier");
    const headline = () => page.locator(".at-mark .headline b").allTextContents();
    const weights = () => page.$$eval(".at-mark .bar", (rows) => Object.fromEntries([...rows].map((row) => [row.querySelector("button").textContent, row.querySelector("b").textContent])));
    await picture.focus();
    await page.keyboard.press("Home");
    const { corners } = result("frontier", "--mandate", mandate, "--split", "2023-01-02");
    const [top, bottom] = [corners[0].expected_return, corners.at(-1).expected_return];
    assert.deepEqual((await headline()).slice(0, 2), [percent(top), percent(corners[0].volatility)]);
    for (let k = 0; k < 20; ++k) { // by links that are put into the same window
      const mark = ((k + 0.37) / 20) * (corners.length - 1);
      const at = Math.floor(mark);
      const gain = corners[at].expected_return + (mark - at) * (corners[at + 1].expected_return - corners[at].expected_return);
      await page.evaluate((hash) => (location.hash = hash), `mark=${mark}`);
      await page.waitForFunction((text) => document.querySelector(".at-mark .headline b").textContent === text, percent(gain));
      const [one] = result("weigh", "--mandate", mandate, "--split", "2023-01-02", "--aim", `target-return=${(100 * gain).toFixed(10)}%`).portfolios;
      assert.deepEqual((await headline()).slice(0, 2), [percent(one.expected_return), percent(one.volatility)]);
      const told = await page.$$eval(".binding tbody tr", (rows) => rows.map((row) => [...row.cells].map((cell) => cell.textContent)));
      const binding = one.binding.filter((limit) => limit.price_per_point > 1e-9);
      assert.deepEqual(told.map(([limit]) => limit).sort(), binding.map(({ limit }) => limit).sort(), `what binds at ${mark}`);
      for (const [limit, risk, gained] of told) {
        const { price_per_point: price } = binding.find((one) => one.limit === limit);
        assert.ok(Math.abs(parseFloat(risk) + 1e4 * price) < 0.0051, `${limit} at ${mark}: ${risk}, ${1e4 * price}`);
        assert.ok(parseFloat(gained) >= 0);
      }
    }
    await picture.focus();
    await page.keyboard.press("End");
    assert.deepEqual((await headline()).slice(0, 2), [percent(bottom), percent(corners.at(-1).volatility)]);
    for (let corner = corners.length - 2; corner >= 0; --corner) {
      await page.keyboard.press("PageUp");
      const shown = await weights();
      for (const [asset, weight] of Object.entries(corners[corner].weights)) {
        if (Math.abs(weight) >= 5e-5) assert.equal(shown[asset], percent(weight), `corner ${corner}, ${asset}`);
      }
      assert.equal((await headline())[1], percent(corners[corner].volatility));
    }
    assert.equal((await headline())[0], percent(top), "at the very corner");
    const chosen = await page.$$eval("svg.frontier .chosen title", (titles) => titles.map((title) => title.textContent));
    for (const one of result("weigh", "--mandate", mandate, "--split", "2023-01-02").portfolios) {
      assert.ok(chosen.includes(`${one.name}: ${percent(one.expected_return)} at ${percent(one.volatility)}`), `${one.name} among ${chosen}`);
    }
    const upright = page.locator("#chart-transition .here");
    await page.locator("#chart-transition").scrollIntoViewIfNeeded();
    const at_top = (await upright.boundingBox()).x;
    await picture.focus();
    await page.keyboard.press("End");
    assert.ok((await upright.boundingBox()).x < at_top - 300, "the transition map has the same mark");
  });

  test("a link that is put into the window is followed, whatever was about to be written there", async () => {
    for (const [key, mark] of [["Home", 3.25], ["End", 1.5], ["Home", 2.75]]) {
      await page.evaluate(([key, mark]) => {
        setTimeout(() => (location.hash = `mark=${mark}`), 140); // the page is busy until it is due, and so is the address
        setTimeout(() => { for (const begun = performance.now(); performance.now() < begun + 250;); }, 50);
        document.querySelector("svg.frontier").dispatchEvent(new KeyboardEvent("keydown", { key, bubbles: true }));
      }, [key, mark]);
      await page.waitForFunction((text) => location.hash === text, `#mark=${mark.toFixed(4)}`, { timeout: 5000 });
      const { corners } = result("frontier", "--mandate", mandate, "--split", "2023-01-02");
      const [above, below] = [corners[Math.floor(mark)], corners[Math.floor(mark) + 1]];
      const gain = above.expected_return + (mark % 1) * (below.expected_return - above.expected_return);
      assert.equal(await page.locator(".at-mark .headline b").first().textContent(), percent(gain));
    }
  });

  test("the mark follows the pointer, and a pin shows what lies between", async () => {
    const picture = page.locator("svg.frontier");
    await picture.scrollIntoViewIfNeeded();
    await picture.focus();
    await page.keyboard.press("End");
    await page.getByRole("button", { name: "Pin this" }).click();
    const box = await picture.boundingBox();
    const mark = await page.locator(".mark").boundingBox();
    await page.mouse.move(mark.x + 4, mark.y + 4);
    await page.mouse.down();
    await page.mouse.move(mark.x + 40, Math.max(box.y + 4, mark.y - 40), { steps: 4 });
    await page.mouse.up();
    assert.match(await page.locator(".at-mark").textContent(), /Beside the pin: \+\d+\.\d\d points of return, .* to trade/);
    await page.getByRole("button", { name: "Take the pin off" }).click();
    assert.doesNotMatch(await page.locator(".at-mark").textContent(), /Beside the pin/);
  });

  test("the mark follows a finger", async () => {
    const other = await open(study(), "", { hasTouch: true, viewport: { width: 390, height: 844 } });
    const picture = other.locator("svg.frontier");
    await picture.scrollIntoViewIfNeeded();
    const box = await picture.boundingBox();
    const before = await other.locator(".at-mark .headline").textContent();
    await other.touchscreen.tap(box.x + box.width * 0.99, box.y + box.height * 0.62); // below the frontier's middle
    await other.waitForFunction((text) => document.querySelector(".at-mark .headline").textContent !== text, before);
    await other.close();
  });

  test("at the level of costs that is chosen schedules have the tool's figures", async () => {
    const { cost_levels: levels } = result("rehearse", "--mandate", mandate, "--cost-levels", "--draws", "0");
    const slider = page.getByRole("slider", { name: "Level of trading costs" });
    const shown = () => page.$$eval("#cost-levels tbody tr", (rows) => Object.fromEntries(rows.map((row) => [row.cells[0].textContent, [...row.cells].slice(1, 7).map((cell) => cell.textContent)])));
    for (const at of [0, 20, levels.levels.indexOf(1), levels.levels.length - 1]) {
      await slider.fill(String(at));
      const rows = await shown();
      assert.deepEqual(Object.keys(rows).sort(), [...levels.schedules].sort());
      for (const [schedule, [growth, volatility, , drawdown, cost, drift]] of Object.entries(rows)) {
        const of = (name) => percent(levels[name][schedule][at]);
        assert.deepEqual([growth, volatility, drawdown, cost, drift], ["growth", "volatility", "max_drawdown", "cost_per_year", "tracking_to_targets"].map(of), `${schedule} at ${levels.levels[at]}`);
      }
      const best = Object.keys(rows)[0];
      const highest = Math.max(...levels.schedules.map((one) => levels.growth[one][at]));
      assert.equal(best, levels.schedules.find((one) => levels.growth[one][at] >= highest - 1e-12), "of those that are the same but for rounding the first");
      assert.match(await page.locator("#cost-levels .sentence").textContent(), new RegExp(`At ${levels.levels[at].toFixed(2)} times .* ${best} grows most`));
    }
    assert.equal(await page.locator("#cost-levels svg .run").count(), levels.schedules.length);
    await page.waitForFunction(() => location.hash.includes("costs=10"));
    const other = await open(study(), "#costs=10");
    assert.equal(await other.locator("#cost-levels .sentence").textContent(), await page.locator("#cost-levels .sentence").textContent());
    await other.close();
    await slider.focus();
    await page.keyboard.press("Home");
    assert.match(await page.locator("#cost-levels .sentence").textContent(), /At 0\.00 times/);
  });

  test("the frontier can be seen closer, without the assets around it", async () => {
    const width = () => page.locator(".curve").boundingBox().then((box) => box.width);
    const [before, mark] = [await width(), await page.locator(".at-mark .headline").textContent()];
    await page.getByRole("button", { name: "Closer" }).click();
    assert.ok((await width()) > 1.5 * before);
    assert.equal(await page.locator(".at-mark .headline").textContent(), mark);
    await page.getByRole("button", { name: "All assets" }).click();
    assert.ok(Math.abs((await width()) - before) < 1);
    assert.ok((await page.locator(".asset").count()) >= 16);
  });

  test("typed weights come to what the tool says of them", async () => {
    const assets = result("estimate", "--mandate", mandate, "--split", "2023-01-02").assets;
    const typed = Object.fromEntries(assets.map((asset, k) => [asset, k % 3 === 0 ? 11 : k % 3 === 1 ? 4.5 : 3.3]));
    const sum = Object.values(typed).reduce((all, one) => all + one, 0);
    typed[assets[0]] = Number((typed[assets[0]] + 100 - sum).toFixed(4));
    for (const [asset, weight] of Object.entries(typed)) await page.getByLabel(`Weight of ${asset} in percent`).fill(String(weight));
    const file = join(folder, "typed.csv");
    writeFileSync(file, "asset,weight\n" + Object.entries(typed).map(([asset, weight]) => `${asset},${weight}%\n`).join(""));
    const document = result("weigh", "--mandate", mandate, "--split", "2023-01-02", "--aim", "equal", "--weights", file);
    const given = document.portfolios.find((one) => one.name !== "equal");
    const figure = (name) => page.locator(`#what-if .answer .${name}`).textContent();
    assert.equal(await figure("sum"), "100.00%");
    assert.equal(await figure("return"), (100 * given.expected_return).toFixed(2) + "%");
    assert.equal(await figure("volatility"), (100 * given.volatility).toFixed(2) + "%");
    assert.equal(await figure("sharpe"), given.sharpe.toFixed(2));
    assert.equal(await figure("tracking"), (100 * given.tracking_error).toFixed(2) + "%");
    const said = await page.locator("#what-if .answer").textContent();
    const broken = new Set(given.violations.map((one) => one.limit));
    for (const limit of new Set(result("frontier", "--mandate", mandate, "--split", "2023-01-02").bounds.limits.map((one) => one.name))) {
      assert.equal(said.includes(`${limit}: off by`) || said.includes(`${limit} (`), broken.has(limit), `${limit} in: ${said}`);
    }
    for (const one of given.violations) assert.ok(said.includes(`off by ${(100 * one.by).toFixed(2)} points`), `${one.limit} by ${one.by} in: ${said}`);
    for (const [first, second] of [[40, 40], [80, 40]]) { // cash, and what is borrowed, at the risk-free rate
      for (const [k, asset] of assets.entries()) await page.getByLabel(`Weight of ${asset} in percent`).fill(String([first, second][k] ?? 0));
      writeFileSync(file, `asset,weight\n${assets[0]},${first}%\n${assets[1]},${second}%\n`);
      const [one] = result("weigh", "--mandate", mandate, "--split", "2023-01-02", "--aim", "equal", "--weights", file).portfolios.filter((p) => p.name !== "equal");
      assert.deepEqual([await figure("sum"), await figure("return"), await figure("volatility"), await figure("sharpe")],
        [`${first + second}.00%`, (100 * one.expected_return).toFixed(2) + "%", (100 * one.volatility).toFixed(2) + "%", one.sharpe.toFixed(2)]);
    }
    assert.match(await page.locator("#what-if .answer").textContent(), /20\.00% is borrowed, at the risk-free 2\.00%/);
    await page.getByLabel(`Weight of ${assets[1]} in percent`).fill("a lot");
    assert.match(await page.locator("#what-if .answer").textContent(), new RegExp(`${assets[1]}: not a weight`));
  });

  test("a portfolio shows its room, and keeps its limits", async () => {
    const { portfolios, room_for } = result("weigh", "--mandate", mandate, "--split", "2023-01-02");
    const best = portfolios.find((one) => one.name === "maximum-sharpe");
    await page.locator("#what-if").getByRole("button", { name: "maximum-sharpe" }).click();
    const answer = await page.locator("#what-if .answer").textContent();
    assert.match(answer, /All limits are kept/);
    assert.match(answer, new RegExp(`for ${(100 * room_for).toFixed(2)} points less return`));
    const told = await page.$$eval("#what-if .fields label", (rows) => Object.fromEntries(rows.map((row) => [row.firstChild.textContent, row.lastChild.textContent])));
    let wide = 0;
    for (const [asset, [least, most]] of Object.entries(best.room)) {
      if (most - least < 1e-4) continue;
      assert.ok(told[asset].includes(`room ${(100 * least).toFixed(1).replace("-0.0", "0.0")}% to ${(100 * most).toFixed(1)}%`), `${asset}: ${told[asset]}`);
      ++wide;
    }
    assert.ok(wide > 5);
  });

  test("a weight is moved by the keys and by dragging its name", async () => {
    const field = page.getByLabel("Weight of KELPFARM in percent");
    await page.locator("#what-if").getByRole("button", { name: "Equal", exact: true }).click();
    await field.fill("10");
    await field.press("ArrowUp");
    assert.equal(await field.inputValue(), "10.5");
    await field.press("Shift+ArrowDown");
    assert.equal(await field.inputValue(), "10.4");
    const name = page.locator("#what-if .drag", { hasText: "KELPFARM" });
    await name.scrollIntoViewIfNeeded();
    const box = await name.boundingBox();
    await page.mouse.move(box.x + 5, box.y + 5);
    await page.mouse.down();
    await page.mouse.move(box.x + 35, box.y + 5, { steps: 5 });
    await page.mouse.up();
    assert.equal(await field.inputValue(), "11.4", "30 pixels are ten tenths of a point");
    assert.equal(await page.locator("#what-if .answer .sum").count(), 1);
  });

  test("zooming one chart over days zooms them all, and the whole span comes back", async () => {
    const span = (at) => page.evaluate((name) => document.querySelector(`#${name} .plot`).getAttribute("aria-label"), at);
    assert.ok(await span("chart-rebased"));
    const plot = page.locator("#chart-rebased .plot");
    await plot.scrollIntoViewIfNeeded();
    await plot.locator("canvas").waitFor();
    const box = await plot.boundingBox();
    await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
    await page.keyboard.down("Control");
    await page.mouse.wheel(0, -400);
    await page.keyboard.up("Control");
    await page.waitForFunction(() => location.hash.includes("days="));
    const days = /days=(\d+)(?:%2C|,)(\d+)/.exec(await page.evaluate(() => location.hash));
    assert.ok(Number(days[2]) - Number(days[1]) > 20);
    await page.locator("#chart-rebased").getByRole("button", { name: "Whole span" }).click();
    await page.waitForFunction(() => !location.hash.includes("days="));
  });

  test("names of any kind stay names", async () => {
    const names = ["<img src=x onerror=alert(1)>", "</script><script>alert(2)</script>", "\u05d0\u05d1\u05d2", "&lt;b&gt;", "A".repeat(64)];
    const lines = [];
    for (let day = 0; day < 400; ++day) {
      const date = new Date(Date.UTC(2023, 0, 2) + day * 86_400_000).toISOString().slice(0, 10);
      lines.push([date, ...names.map((_, k) => (50 + 10 * Math.sin(day / (7 + 3 * k)) + day * 0.01 * k).toFixed(4))].join(","));
    }
    const quoted = names.map((name) => `"${name.replaceAll('"', '""')}"`);
    writeFileSync(join(folder, "names.csv"), ["date", ...quoted].join(",") + "\n" + lines.join("\n") + "\n");
    writeFileSync(join(folder, "names.toml"), `[universe]\nprices = "names.csv"\n[estimate]\nevery = "1w"\n[rehearsal]\nsplit = 2023-10-02\n`);
    try {
      run("report", "--mandate", join(folder, "names.toml"), "--out", join(folder, "names"), "--quiet");
    } catch (error) {
      assert.equal(error.status, 4, String(error.stderr)); // some stage may have no answer
    }
    const other = await open(join(folder, "names", "study.html"));
    other.on("dialog", (dialog) => wrong.push(`a dialog: ${dialog.message()}`));
    const shown = await other.$$eval("#describe .pick", (buttons) => buttons.map((button) => button.textContent));
    for (const name of names) assert.ok(shown.some((text) => text === name), `${name} among ${shown}`);
    assert.equal(await other.locator("main img, main script, main b:has-text('&lt;')").count(), 0);
    await other.close();
  });

  test("a study of many assets stays legible: tables are searched, small weights stand by their kind", async () => {
    const assets = Array.from({ length: 150 }, (_, k) => `REED${String(k).padStart(3, "0")}`);
    const days = Array.from({ length: 420 }, (_, day) => new Date(Date.UTC(2023, 0, 2) + day * 86_400_000).toISOString().slice(0, 10));
    const price = (day, k) => 50 + 8 * Math.sin(day / (6 + (k % 11)) + k) + 3 * Math.cos(day / (3 + (k % 7))) + day * 0.004 * (k % 13);
    writeFileSync(join(folder, "many.csv"), ["date", ...assets].join(",") + "\n" + days.map((date, day) => [date, ...assets.map((_, k) => price(day, k).toFixed(4))].join(",")).join("\n") + "\n");
    writeFileSync(join(folder, "tags.csv"), "asset,shore\n" + assets.map((asset, k) => `${asset},${["north", "south", "west"][k % 3]}`).join("\n") + "\n");
    writeFileSync(join(folder, "many.toml"), `[universe]\nprices = "many.csv"\ntags = "tags.csv"\n[estimate]\nevery = "1w"\n[limits]\n"each" = "each <= 4%"\n`);
    try {
      run("report", "--mandate", join(folder, "many.toml"), "--out", join(folder, "many"), "--quiet");
    } catch (error) {
      assert.equal(error.status, 4, String(error.stderr)); // nothing is rehearsed without a split
    }
    const other = await open(join(folder, "many", "study.html"));
    const table = other.locator("#describe .table:has(input[type=search])").first();
    const rows = () => table.locator("tbody tr").count();
    const first = await rows();
    assert.ok(first < 150);
    const shown = () => table.locator("tbody tr .pick").allTextContents();
    await table.getByRole("searchbox").fill("reed14");
    assert.deepEqual(await shown(), Array.from({ length: 10 }, (_, k) => `REED14${k}`));
    await table.getByRole("searchbox").fill("");
    await table.getByRole("button", { name: "All 150 rows" }).click();
    const some = await shown();
    assert.ok(some.length > first && some.length < 150, "only what is near the view is there");
    assert.equal(some[0], "REED000");
    const scroll = table.locator(".scroll");
    const height = await scroll.evaluate((box) => box.scrollHeight);
    await scroll.evaluate((box) => (box.scrollTop = box.scrollHeight));
    await other.waitForFunction(() => [...document.querySelectorAll("#describe .long .pick")].some((one) => one.textContent === "REED149"));
    const below = await shown();
    assert.equal(below.at(-1), "REED149");
    assert.ok(!below.includes("REED000"));
    assert.ok(Math.abs((await scroll.evaluate((box) => box.scrollHeight)) - height) < 0.02 * height, "it is as long as all rows are");
    const where = await scroll.evaluate((box) => box.scrollTop);
    await table.locator(".pick", { hasText: "REED149" }).click();
    assert.equal(await scroll.evaluate((box) => box.scrollTop), where, "picking leaves it where it is");
    await other.evaluate(() => window.dispatchEvent(new Event("beforeprint")));
    assert.deepEqual(await shown(), assets, "on paper are all");
    await other.evaluate(() => window.dispatchEvent(new Event("afterprint")));
    assert.ok((await rows()) < 150);
    const transition = other.locator("#chart-transition");
    const named = () => transition.locator(".key li").allTextContents();
    const together = await named();
    assert.ok(together.length <= 17 && together.some((name) => /^(north|south|west): \d+ more$/.test(name)), String(together));
    await transition.locator(".key button", { hasText: /more$/ }).first().click();
    assert.ok((await named()).length > together.length, "opened");
    assert.match(await other.locator("#chart-heat .plot").getAttribute("aria-label"), /150 times 150/);
    await other.close();
  });

  test("on paper no table is cut", async () => {
    const other = await open(study(), "", { viewport: { width: 718, height: 1000 } }); // of A4, within its margins
    await other.emulateMedia({ media: "print" });
    const wide = await other.evaluate(() => {
      const room = document.querySelector("main").getBoundingClientRect().right;
      return [...document.querySelectorAll("main table, main figure, svg.frontier")].filter((one) => one.getBoundingClientRect().right > room + 1)
        .map((one) => `${one.closest(".table, figure, div").textContent.slice(0, 60)}: ${one.getBoundingClientRect().right} of ${room}`);
    });
    assert.deepEqual(wide, []);
    await other.close();
  });

  test("nobody is shut out: no violation, light and dark, wide and narrow", async () => {
    const look = async (colorScheme, width) => {
      const other = await open(study(), "", { viewport: { width, height: 800 }, colorScheme, bypassCSP: true });
      await other.evaluate(axe);
      await other.evaluate(() => document.querySelectorAll("section").forEach((one) => (one.style.contentVisibility = "visible"))); // all of it is laid out
      const rules = { "color-contrast": { enabled: width === 1280 } }; // the colours are the same on both, and take it long
      const violations = await other.evaluate(async (only) => (await window.axe.run(document, { rules: only })).violations.map((one) => `${one.id}: ${one.nodes[0].html.slice(0, 100)}`), rules);
      assert.deepEqual(violations, [], `${colorScheme}, ${width}`);
      assert.equal(await other.evaluate(() => document.documentElement.scrollWidth), width, "nothing is cut");
      await other.close();
    };
    for (const scheme of ["light", "dark"]) for (const width of [1280, 390]) await look(scheme, width);
  });

  test("nothing went wrong on the way: no error, no request, no breach of the policy", () => assert.deepEqual(wrong, []));
});

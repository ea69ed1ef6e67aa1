// The page: a frame of sections, each a question with its finding, its pictures and its tables.

import { ChartView } from "./chart";
import { type Chapter, type Chart, read_study, type Study } from "./data";
import { button, element } from "./dom";
import { FrontierView } from "./frontier";
import { change, current, is_dark, listen, read_address } from "./state";
import { table_view } from "./table";
import { what_if } from "./what_if";

const sections: Record<string, [name: string, question: string]> = {
  inspect: ["Prices", "Are the prices right?"],
  describe: ["Returns", "How did each asset behave?"],
  relate: ["Relations", "How do they move together, and does that last?"],
  estimate: ["Estimate", "What is expected, and how well is it known?"],
  frontier: ["Frontier", "What is the best at each risk, and what do the limits cost?"],
  weigh: ["Weights", "Which portfolio?"],
  rehearse: ["Rehearsal", "What would be left after trading it?"],
};
/** Warnings beyond so many are folded away. */
const first_warnings = 4;

function warnings_view(warnings: string[]): HTMLElement | null {
  if (warnings.length === 0) return null;
  const list = (texts: string[]) => element("ul", {}, ...texts.map((text) => element("li", {}, text)));
  const box = element("div", { class: "findings" }, list(warnings.slice(0, first_warnings)));
  if (warnings.length > first_warnings) {
    box.append(element("details", {}, element("summary", {}, `${warnings.length - first_warnings} more`), list(warnings.slice(first_warnings))));
  }
  return box;
}

/** Charts of one kind: that of an asset or a portfolio each stand behind the first. */
export function families(charts: Chart[]): Chart[][] {
  const all: Chart[][] = [];
  for (const chart of charts) {
    const same = all.find((family) => chart.name.startsWith(family[0]!.name + "-"));
    if (same) same.push(chart);
    else all.push([chart]);
  }
  return all;
}

function family_view(family: Chart[], study: Study, assets: Set<string>): HTMLElement {
  const view = (chart: Chart) => new ChartView(chart, assets, study.benchmark).box;
  if (family.length === 1) return view(family[0]!);
  const first = family[0]!;
  const variants = family.slice(1); // the first is one of them, under the plain name
  const of = (chart: Chart) => chart.name.slice(first.name.length + 1);
  const choice = element("select", { "aria-label": `Which ${first.name}` }, ...variants.map((chart) => element("option", {}, of(chart))));
  const place = element("div", {});
  const views = new Map<string, HTMLElement>();
  const show = () => {
    const chart = variants.find((one) => of(one) === choice.value)!;
    if (!views.has(chart.name)) views.set(chart.name, view(chart));
    place.replaceChildren(views.get(chart.name)!);
  };
  choice.addEventListener("change", show);
  listen(["picked"], () => {
    const latest = [...current().picked].at(-1);
    const chart = variants.find((one) => same_name(of(one), latest ?? ""));
    if (!chart) return;
    choice.value = of(chart);
    show();
  });
  choice.value = of(variants.find((one) => one.title === first.title) ?? variants[0]!);
  show();
  return element("div", { class: "family" }, choice, place);
}

const same_name = (one: string, other: string) => one.toLowerCase() === other.toLowerCase();

function section_of(chapter: Chapter, study: Study, assets: Set<string>): HTMLElement {
  const [name, question] = sections[chapter.command]!;
  const box = element("section", { id: chapter.command, "aria-labelledby": `${chapter.command}-name` },
    element("h2", { id: `${chapter.command}-name` }, name, element("span", { class: "quiet" }, ` ${question}`)),
    element("p", { class: "sentence" }, chapter.sentence), warnings_view(chapter.warnings));
  let charts = chapter.charts;
  if (chapter.command === "frontier" && study.corners.length > 1) {
    box.append(new FrontierView(study).box);
    charts = charts.filter((chart) => chart.name !== "frontier");
  }
  if (chapter.command === "weigh" && study.corners.length > 1) box.append(what_if(study));
  box.append(element("div", { class: "charts" }, ...families(charts).map((family) => family_view(family, study, assets))));
  for (const table of chapter.tables) box.append(table_view(table, assets, name));
  return box;
}

function how_section(study: Study): HTMLElement {
  const rows = Object.entries(study.inputs).map(([name, value]) =>
    element("tr", {}, element("th", { scope: "row" }, name.replaceAll("_", " ")), element("td", {}, Array.isArray(value) ? value.join(", ") : String(value))));
  return element("section", { id: "how", "aria-labelledby": "how-name" },
    element("h2", { id: "how-name" }, "How it was made", element("span", { class: "quiet" }, " From what, and how to make it again")),
    element("p", {}, `Inch Tide ${study.version}. The same again: `, element("code", {}, study.command)),
    element("div", { class: "scroll", tabindex: "0", role: "region", "aria-label": "Inputs" }, element("table", { class: "inputs" }, element("tbody", {}, ...rows))));
}

function theme_switch(): HTMLElement {
  const choice = element("select", { "aria-label": "Light or dark" },
    ...(["system", "light", "dark"] as const).map((theme) => element("option", { value: theme }, theme === "system" ? "as the system" : theme)));
  choice.addEventListener("change", () => change({ theme: choice.value as "system" | "light" | "dark" }));
  const keep = () => {
    choice.value = current().theme;
    document.documentElement.dataset["theme"] = is_dark() ? "dark" : "light";
  };
  listen(["theme"], keep);
  matchMedia("(prefers-color-scheme: dark)").addEventListener("change", () => change({ theme: current().theme }));
  keep();
  return choice;
}

interface Index {
  box: HTMLElement;
  /** Marks the section's entry while it is in view. */
  watch: (section: HTMLElement) => void;
}

function index_of(study: Study): Index {
  const entries: [string, string][] = [...study.chapters.map((one): [string, string] => [one.command, sections[one.command]![0]]), ["how", "How it was made"]];
  const links = entries.map(([id, name]) => element("a", { href: `#${id}` }, name));
  links.forEach((link, k) => link.addEventListener("click", (event) => {
    event.preventDefault(); // the fragment holds the state
    document.getElementById(entries[k]![0])?.scrollIntoView();
  }));
  const findings = study.chapters.find((one) => one.command === "inspect")?.tables.find((table) => table.name === "findings")?.rows.length ?? 0;
  const seen = new IntersectionObserver((events) => {
    for (const event of events) {
      if (!event.isIntersecting) continue;
      links.forEach((link, k) => link.setAttribute("aria-current", String(entries[k]![0] === event.target.id)));
    }
  }, { rootMargin: "-20% 0px -70% 0px" });
  const box = element("nav", { "aria-label": "Sections" }, ...links,
    element("p", { class: "quiet" }, `${findings} findings on prices`, element("br"), `last price ${study.to}`));
  return { box, watch: (section) => seen.observe(section) };
}

/** Lets the browser draw and answer before what comes next. */
const breath = () => new Promise<void>((done) => setTimeout(done));

function picked_line(): HTMLElement {
  const line = element("span", { class: "picked-line" });
  const show = () => {
    const picked = [...current().picked];
    line.replaceChildren(...(picked.length === 0 ? [] : [`Picked: ${picked.join(", ")} `, button("Clear", "Pick nothing", () => change({ picked: new Set() }))]));
  };
  listen(["picked"], show);
  return line;
}

async function start(): Promise<void> {
  const study = await read_study();
  const assets = new Set(study.estimate.assets);
  if (study.benchmark !== "") assets.add(study.benchmark);
  document.title = study.title;
  const header = element("header", {},
    element("h1", {}, study.title),
    element("span", { class: "quiet" }, `${study.from} to ${study.to} · ${study.currency} · ${study.estimate.assets.length} assets${study.benchmark === "" ? "" : ` beside ${study.benchmark}`}`),
    picked_line(), element("span", { class: "tools" }, theme_switch(), button("Print", "Print the page as it stands", () => window.print())));
  const main = element("main");
  const index = index_of(study);
  document.body.replaceChildren(header, index.box, main);
  const follow = () => read_address(assets, study.corners.length - 1);
  window.addEventListener("hashchange", follow); // a link that is put into the same window
  follow();
  const add = (section: HTMLElement) => {
    main.append(section);
    index.watch(section);
  };
  for (const chapter of study.chapters) {
    add(section_of(chapter, study, assets));
    await breath();
  }
  add(how_section(study));
}

start().catch((error: unknown) => {
  document.body.replaceChildren(element("p", { class: "problem" }, `The page cannot be shown: ${error instanceof Error ? error.message : String(error)}`));
});

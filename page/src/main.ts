// The page: a frame of sections, each a question with its finding, its pictures and its tables.

import { ChartView, type More } from "./chart";
import { cost_levels_view } from "./cost_levels";
import { type Chapter, type Chart, empty_study, read_study, type Study, take } from "./data";
import { button, element } from "./dom";
import { at_place } from "./figures";
import { FrontierView } from "./frontier";
import { can_group, grouped, kind_of } from "./grouped";
import { type Answer, Link } from "./link";
import { Live } from "./live";
import { relations_view } from "./relations";
import { change, current, in_scope, is_dark, linked_picks, listen, make_anew, read_address, this_scope } from "./state";
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
  const of = (chart: Chart, first: Chart) => chart.name.startsWith(first.name + "-");
  return charts.filter((chart) => !charts.some((other) => of(chart, other))).map((first) => [first, ...charts.filter((chart) => of(chart, first))]);
}

/** Weights of many: a click in the key opens those that stand together. */
function stack_view(chart: Chart, study: Study, known: Set<string>, more: More): HTMLElement {
  const opened = new Set<string>();
  const [first] = Object.values(study.tags);
  const place = element("div", {});
  const here = this_scope();
  const show = () => in_scope(here, () => {
    const open = (name: string) => {
      const kind = kind_of(name);
      return kind === null ? null : () => (opened.add(kind), show());
    };
    place.replaceChildren(new ChartView(grouped(chart, first ?? {}, opened), known, study.benchmark, { ...more, open }).box);
  });
  show();
  return place;
}

function family_view(family: Chart[], study: Study, known: Set<string>): HTMLElement {
  const view = (chart: Chart) => {
    const more: More = chart.name === "transition" ? { mark: () => at_place(study.corners, current().mark).expected_return } : {};
    return can_group(chart) ? stack_view(chart, study, known, more) : new ChartView(chart, known, study.benchmark, more).box;
  };
  if (family.length === 1) return view(family[0]!);
  const first = family[0]!;
  // Mostly the first is one of the others, under the plain name; else it is one beside them.
  const others = family.slice(1);
  // One that stands under several names stands here once, under the last.
  const variants = (others.some((chart) => chart.title === first.title) ? others : family)
    .filter((chart, k, all) => !all.slice(k + 1).some((later) => later.title === chart.title));
  const of = (chart: Chart) => (chart === first ? "the study's own" : chart.name.slice(first.name.length + 1));
  const choice = element("select", { "aria-label": `Which ${first.name}` }, ...variants.map((chart) => element("option", {}, of(chart))));
  const place = element("div", {});
  const here = this_scope();
  const views = new Map<string, HTMLElement>();
  const show = () => {
    const chart = variants.find((one) => of(one) === choice.value)!;
    if (!views.has(chart.name)) views.set(chart.name, in_scope(here, () => view(chart)));
    place.replaceChildren(views.get(chart.name)!);
  };
  const of_picked = () => {
    const latest = [...current().picked].at(-1) ?? "";
    return variants.find((one) => same_name(of(one), latest)) ?? variants.find((one) => latest.startsWith(`${of(one)}, `)); // or a run's portfolio
  };
  choice.addEventListener("change", show);
  listen(["picked"], () => {
    const chart = of_picked();
    if (!chart) return;
    choice.value = of(chart);
    show();
  });
  choice.value = of(of_picked() ?? variants.find((one) => one.title === first.title) ?? variants[0]!); // a link may have picked before
  show();
  return element("div", { class: "family" }, choice, place);
}

const same_name = (one: string, other: string) => one.toLowerCase() === other.toLowerCase();

/** A section of the page: what is in it can change, itself it stays. */
interface Section {
  box: HTMLElement;
  head: HTMLElement;
  view: HTMLElement;
  body: HTMLElement;
}

function section_frame(command: string): Section {
  const [name, question] = sections[command]!;
  const head = element("div");
  const view = element("div");
  const body = element("div");
  const box = element("section", { id: command, "aria-labelledby": `${command}-name` },
    element("h2", { id: `${command}-name` }, name, element("span", { class: "quiet" }, ` ${question}`)), head, view, body);
  return { box, head, view, body };
}

function fill_section(section: Section, chapter: Chapter, study: Study, known: Set<string>): void {
  make_anew(chapter.command, () => {
    const [name] = sections[chapter.command]!;
    section.head.replaceChildren(element("p", { class: "sentence" }, chapter.sentence), ...[warnings_view(chapter.warnings)].filter((one) => one !== null));
    const moves = chapter.command === "frontier" && study.corners.length > 1; // then the curve has a view of its own
    const charts = moves ? chapter.charts.filter((chart) => chart.name !== "frontier") : chapter.charts;
    section.body.replaceChildren(
      ...(chapter.command === "relate" && study.returns ? [relations_view(study, known)] : []),
      ...(chapter.command === "rehearse" && study.cost_levels ? [cost_levels_view(study.cost_levels)] : []),
      ...(chapter.command === "weigh" && study.corners.length > 1 ? [what_if(study)] : []),
      element("div", { class: "charts" }, ...families(charts).map((family) => family_view(family, study, known))),
      ...chapter.tables.map((table) => table_view(table, known, name)));
  });
}

/** Puts a view of the frontier before what the section holds. */
function frontier_view(section: Section, study: Study): FrontierView | null {
  section.view.replaceChildren();
  if (study.corners.length < 2) return null;
  const view = make_anew("frontier view", () => new FrontierView(study));
  section.view.replaceChildren(view.box);
  return view;
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
  /** What stands below the entries. */
  tell: (study: Study) => void;
}

function index_of(commands: string[]): Index {
  const entries: [string, string][] = [...commands.map((one): [string, string] => [one, sections[one]![0]]), ["how", "How it was made"]];
  const links = entries.map(([id, name]) => element("a", { href: `#${id}` }, name));
  links.forEach((link, k) => link.addEventListener("click", (event) => {
    event.preventDefault(); // the fragment holds the state
    document.getElementById(entries[k]![0])?.scrollIntoView();
  }));
  const seen = new IntersectionObserver((events) => {
    for (const event of events) {
      if (!event.isIntersecting) continue;
      links.forEach((link, k) => link.setAttribute("aria-current", String(entries[k]![0] === event.target.id)));
    }
  }, { rootMargin: "-20% 0px -70% 0px" });
  const below = element("p", { class: "quiet" });
  const tell = (study: Study) => {
    const findings = study.chapters.find((one) => one.command === "inspect")?.tables.find((table) => table.name === "findings")?.rows.length ?? 0;
    below.replaceChildren(`${findings} findings on prices`, element("br"), `last price ${study.to}`);
  };
  return { box: element("nav", { "aria-label": "Sections" }, ...links, below), watch: (section) => seen.observe(section), tell };
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

interface Frame {
  main: HTMLElement;
  index: Index;
  /** What the top line and the index say of the study. */
  tell: (study: Study) => void;
}

function frame(title: string, commands: string[]): Frame {
  document.title = title;
  const about = element("span", { class: "quiet" });
  const header = element("header", {}, element("h1", {}, title), about, picked_line(),
    element("span", { class: "tools" }, theme_switch(), button("Print", "Print the page as it stands", () => window.print())));
  const main = element("main");
  const index = index_of(commands);
  document.body.replaceChildren(header, index.box, main);
  const tell = (study: Study) => {
    const count = study.estimate.assets.length;
    const beside = study.benchmark === "" ? "" : ` beside ${study.benchmark}`;
    about.textContent = [`${study.from} to ${study.to}`, study.currency, `${count} assets${beside}`].filter((one) => one !== "").join(" · ");
    index.tell(study);
  };
  return { main, index, tell };
}

/** What can be picked: assets, the benchmark, and runs by portfolio and schedule. */
function names_of(study: Study): Set<string> {
  const runs = study.chapters.find((one) => one.command === "rehearse")?.tables.find((table) => table.name === "runs")?.rows ?? [];
  return new Set([...study.estimate.assets, ...(study.benchmark === "" ? [] : [study.benchmark]), ...runs.map((row) => `${row[0]![1]}, ${row[1]![1]}`)]);
}

async function show_file(): Promise<void> {
  const study = await read_study();
  const known = names_of(study);
  const { main, index, tell } = frame(study.title, study.chapters.map((one) => one.command));
  tell(study);
  const follow = () => read_address(known, study.corners.length - 1);
  window.addEventListener("hashchange", follow); // a link that is put into the same window
  follow();
  // Unless a link says what to compare with, it is what is held.
  if (location.hash === "" && study.portfolios.some((one) => one.name === "current")) change({ pin: "held" });
  for (const chapter of study.chapters) {
    const section = section_frame(chapter.command);
    fill_section(section, chapter, study, known);
    if (chapter.command === "frontier") frontier_view(section, study);
    main.append(section.box);
    index.watch(section.box);
    await breath();
  }
  const how = how_section(study);
  main.append(how);
  index.watch(how);
}

/** Under the same estimate what is the same at all corners holds the same. */
const same_frontier = (one: Study["corners"], other: Study["corners"]) => one.length === other.length && one.every((corner, k) =>
  corner.expected_return === other[k]!.expected_return && corner.volatility === other[k]!.volatility && corner.lambda === other[k]!.lambda);

async function show_live(link: Link): Promise<void> {
  const outline = await link.outline();
  const study: Study = { ...empty_study(), title: `${outline.title}: a study, live`, version: outline.version, currency: outline.currency, command: `inchtide explore --mandate ${outline.mandate}` };
  const { main, index, tell } = frame(study.title, outline.chapters);
  const made = new Map(outline.chapters.map((command) => [command, section_frame(command)]));
  let view: FrontierView | null = null;
  let of: Study["estimate"] | null = null; // the estimate that the view is of
  let followed = false; // a link is followed once there is what it names
  let late = linked_picks(); // runs that a link picks are there last
  let is_free = location.hash === ""; // to compare with what is held, as no link says what with
  const show_frontier = () => {
    const { corners } = study;
    if (view && of === study.estimate && corners.length > 1) return view.renew(corners);
    const at = view && of ? current().mark : null;
    view = frontier_view(made.get("frontier")!, study);
    of = study.estimate;
    if (corners.length === 0) return;
    if (!followed) (followed = true), read_address(names_of(study), corners.length - 1);
    else if (at !== null) change({ mark: Math.min(at, corners.length - 1), pin: current().pin === "held" ? "held" : null });
  };
  const moved = (corners: Study["corners"]) => {
    study.corners = corners;
    show_frontier();
  };
  const arrived = ({ document: text, view: chapter }: Answer) => {
    const drawn = study.corners;
    take(study, chapter, text);
    if (chapter.command === "frontier" && (of !== study.estimate || !same_frontier(drawn, study.corners))) show_frontier();
    if (chapter.command === "frontier") view?.shade(study.sensitivity);
    if (chapter.command === "weigh") {
      view?.offer(study.portfolios, study.trading);
      if (view && is_free && study.portfolios.some((one) => one.name === "current")) (is_free = false), change({ pin: "held" });
    }
    tell(study);
    fill_section(made.get(chapter.command)!, chapter, study, names_of(study));
    if (chapter.command === "rehearse" && late.length > 0) {
      const known = names_of(study);
      change({ picked: new Set([...current().picked, ...late.filter((name) => known.has(name))]) });
      late = [];
    }
    if (chapter.command === "estimate") how.replaceChildren(...how_section(study).childNodes);
  };
  const failed = (command: string, problem: string) => {
    const section = made.get(command)!;
    make_anew(command, () => section.body.replaceChildren());
    if (command === "frontier") section.view.replaceChildren();
    section.head.replaceChildren(element("p", { class: "problem" }, problem));
  };
  const how = how_section(study);
  const live = new Live(link, outline, { moved, arrived, failed });
  for (const section of [...[...made.values()].map((one) => one.box), how]) {
    main.append(section);
    index.watch(section);
  }
  for (const { head } of made.values()) head.replaceChildren(element("p", { class: "quiet" }, "Being computed …"));
  made.get("frontier")!.head.after(live.panel);
  document.body.append(live.bar);
  window.addEventListener("hashchange", () => read_address(names_of(study), study.corners.length - 1));
  await live.compute(outline.chapters);
}

async function start(): Promise<void> {
  const link = Link.open();
  if (link) await show_live(link);
  else await show_file();
}

start().catch((error: unknown) => {
  document.body.replaceChildren(element("p", { class: "problem" }, `The page cannot be shown: ${error instanceof Error ? error.message : String(error)}`));
});

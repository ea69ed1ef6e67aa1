// Draws a chapter's chart: the same series that the tool draws as figures, to be zoomed, picked from and read out.

import { CustomChart, HeatmapChart, LineChart, ScatterChart } from "echarts/charts";
import { DataZoomComponent, GridComponent, TooltipComponent, VisualMapComponent } from "echarts/components";
import * as echarts from "echarts/core";
import { LabelLayout } from "echarts/features";
import { CanvasRenderer, SVGRenderer } from "echarts/renderers";

import type { Chart } from "./data";
import { button, element, save } from "./dom";
import { all_series, Drawing, ground, is_over_days, ms_of_a_day, type Option, pick_of, place_text, shade } from "./drawing";
import { by_scale, day } from "./format";
import { at_end, change, current, listen, toggle } from "./state";

echarts.use([
  CustomChart, HeatmapChart, LineChart, ScatterChart,
  DataZoomComponent, GridComponent, TooltipComponent, VisualMapComponent, LabelLayout, CanvasRenderer, SVGRenderer,
]);

/** Pixels of a chart that lies flat: of each of its categories, and above and below them. */
const a_category = 20;
const around_categories = 100;

export interface More {
  /** Opens what stands for several, by its name; null for what stands for itself. */
  open?: (name: string) => (() => void) | null;
  /** Told of a cell of a heat map that is clicked on, in place of picking. */
  cell?: (a: string, b: string) => void;
  /** Where the mark along the frontier stands on the horizontal axis. */
  mark?: () => number;
}

const waiting: ChartView[] = [];
// Not every browser tells when it is idle.
const when_idle = (work: () => void) => ("requestIdleCallback" in window ? requestIdleCallback(work, { timeout: 500 }) : setTimeout(work));

/** One after the other, so that the page answers in between. */
function draw_when_idle(view: ChartView): void {
  waiting.push(view);
  if (waiting.length > 1) return;
  const next = () => {
    try {
      waiting[0]!.draw();
    } finally {
      waiting.shift();
      if (waiting.length > 0) when_idle(next);
    }
  };
  when_idle(next);
}

export class ChartView {
  readonly box: HTMLElement;
  private readonly plot = element("div", { class: "plot", tabindex: "0", role: "img" });
  private readonly read_out = element("p", { class: "unseen", "aria-live": "polite" });
  private drawn: echarts.ECharts | null = null;
  private marked = -1;
  private is_log = false;
  private readonly here = element("i", { class: "here" });

  constructor(
    private chart: Chart,
    private readonly known: Set<string>,
    private readonly benchmark: string,
    private readonly more: More = {},
  ) {
    this.plot.setAttribute("aria-label", this.in_words());
    if (chart.below.length > 0) this.plot.classList.add("tall");
    if (chart.heat) this.plot.classList.add("square");
    if (chart.flat) this.plot.style.height = `max(400px, ${around_categories + a_category * chart.x.categories.length}px)`;
    const tools = element(
      "span", { class: "tools" },
      button("CSV", `Save the data of "${chart.title}"`, () => save(`${chart.name}.csv`, csv_of(this.chart))),
      button("PNG", `Save "${chart.title}" as a picture`, () => this.save_png()),
      button("SVG", `Save "${chart.title}" as a drawing`, () => this.save_svg()),
      can_be_log(chart) ? button("Log scale", "Equal steps for equal ratios, or for equal amounts", () => {
        this.is_log = !this.is_log;
        this.drawn?.setOption(this.option(), { notMerge: true });
      }) : null,
      is_over_days(chart)
        ? button("Whole span", "Show all days again, in all charts", () => change({ from: null, to: null }))
        : null,
    );
    this.box = element(
      "figure", { class: "chart", id: `chart-${chart.name}` },
      element("figcaption", {}, element("b", {}, chart.title), " ", element("span", { class: "quiet" }, chart.subtitle), tools),
      this.plot, key_of(chart, known, more.open ?? (() => null)), this.read_out,
    );
    const seen = new IntersectionObserver((seen) => seen.some((one) => one.isIntersecting) && draw_when_idle(this), { rootMargin: "400px" });
    seen.observe(this.plot);
    const sized = new ResizeObserver(() => {
      this.drawn?.resize();
      this.show_mark();
    });
    sized.observe(this.plot);
    const draw = () => this.draw();
    window.addEventListener("beforeprint", draw);
    at_end(() => {
      seen.disconnect();
      sized.disconnect();
      window.removeEventListener("beforeprint", draw);
      this.drawn?.dispose();
      this.drawn = null;
    });
    listen(["theme", "picked"], () => this.drawn?.setOption(this.option(), { notMerge: true }));
    listen(["from", "to"], () => this.zoom());
    if (more.mark) listen(["mark"], () => this.show_mark());
    this.plot.addEventListener("keydown", (event) => this.press(event));
  }

  /** Another chart of the same kind in its place. */
  renew(chart: Chart): void {
    this.chart = chart;
    this.plot.setAttribute("aria-label", this.in_words());
    this.box.querySelector("figcaption .quiet")!.textContent = chart.subtitle;
    this.drawn?.setOption(this.option(), { notMerge: true });
  }

  draw(): void {
    if (this.drawn || !this.plot.isConnected) return;
    this.drawn = echarts.init(this.plot);
    this.drawn.setOption(this.option());
    this.show_mark();
    this.drawn.on("click", (event) => {
      const { heat } = this.chart;
      if (heat && this.more.cell) {
        const [i, j] = (event.data as { value: [number, number] }).value;
        if (i !== j) this.more.cell(heat.names[j]!, heat.names[i]!);
        return;
      }
      const hit = all_series(this.chart)[event.seriesIndex ?? 0]?.series;
      const label = (event.data as { name?: string } | undefined)?.name ?? "";
      const pick = heat ? (this.known.has(label) ? label : null) : hit && pick_of(this.chart, hit, label, this.known);
      if (pick) toggle(pick);
    });
    if (!is_over_days(this.chart)) return;
    this.drawn.on("datazoom", () => {
      const zoom = (this.drawn!.getOption() as Option).dataZoom[0];
      const whole = zoom.start <= 0 && zoom.end >= 100;
      const [from, to] = whole ? [null, null] : [Math.round(zoom.startValue / ms_of_a_day), Math.round(zoom.endValue / ms_of_a_day)];
      if (from !== current().from || to !== current().to) change({ from, to });
    });
  }

  /** An upright line where the mark along the frontier stands. */
  private show_mark(): void {
    if (!this.drawn || !this.more.mark) return;
    const [across] = this.drawn.convertToPixel({ xAxisIndex: 0, yAxisIndex: 0 }, [this.more.mark(), 0]) as [number, number];
    this.here.style.left = `${across}px`;
    if (!this.here.parentElement) this.plot.append(this.here);
  }

  private zoom(): void {
    if (!this.drawn || !is_over_days(this.chart)) return;
    const { from, to } = current();
    const zoom = (this.drawn.getOption() as Option).dataZoom[0];
    if (from === null || to === null) {
      if (zoom.start !== 0 || zoom.end !== 100) this.follow({ start: 0, end: 100 });
    } else if (Math.round(zoom.startValue / ms_of_a_day) !== from || Math.round(zoom.endValue / ms_of_a_day) !== to) {
      this.follow({ startValue: from * ms_of_a_day, endValue: to * ms_of_a_day });
    }
  }

  /** Without a word to the others, who were told as this one was. */
  private follow(where: Option): void {
    this.drawn!.dispatchAction({ type: "dataZoom", ...where }, { silent: true });
  }

  /** Arrows move along the points of the first line, or of the points; Enter picks. */
  private press(event: KeyboardEvent): void {
    const at = all_series(this.chart).findIndex(({ series }) => series.kind === "line" || series.kind === "points");
    const series = at < 0 ? null : all_series(this.chart)[at]!.series;
    if (!series || (series.kind !== "line" && series.kind !== "points")) return;
    const last = series.x.length - 1;
    const step = event.shiftKey ? Math.max(1, Math.round(last / 20)) : 1;
    const moves: Record<string, number> = {
      ArrowRight: this.marked + step, ArrowLeft: this.marked - step, Home: 0, End: last,
    };
    if (event.key === "Enter") {
      const pick = pick_of(this.chart, series, series.kind === "points" ? (series.labels[this.marked] ?? "") : "", this.known);
      if (pick) toggle(pick);
      return;
    }
    const to = moves[event.key];
    if (to === undefined) return;
    event.preventDefault();
    this.draw();
    this.marked = Math.min(last, Math.max(0, to));
    this.drawn!.dispatchAction({ type: "showTip", seriesIndex: at, dataIndex: this.marked });
    this.read_out.textContent = this.at_point(this.marked);
  }

  private at_point(index: number): string {
    const parts = [];
    let place = "";
    for (const { series, panel } of all_series(this.chart)) {
      if (series.kind !== "line" && series.kind !== "points") continue;
      if (index >= series.x.length) continue;
      place ||= place_text(this.chart, series.x[index]!);
      const axis = panel === 0 ? this.chart.y : this.chart.below[panel - 1]!.y;
      const name = series.kind === "points" ? (series.labels[index] ?? series.name) : series.name;
      parts.push(`${name} ${by_scale(series.y[index], axis.scale)}`);
    }
    return `${place}: ${parts.join(", ")}`;
  }

  /** What the picture shows, in figures. */
  private in_words(): string {
    const { title, subtitle, heat } = this.chart;
    if (heat) return `${title}. ${subtitle}. A square of ${heat.names.length} times ${heat.names.length} correlations.`;
    const parts = all_series(this.chart).map(({ series, panel }) => {
      const axis = panel === 0 ? this.chart.y : this.chart.below[panel - 1]!.y;
      if (series.kind !== "line") return series.name;
      const known = series.y.filter((y): y is number => y !== null);
      if (known.length === 0) return series.name;
      return `${series.name} from ${by_scale(known[0], axis.scale)} to ${by_scale(known.at(-1), axis.scale)}`;
    });
    return `${title}. ${subtitle}. ${parts.filter((part) => part !== "").slice(0, 12).join("; ")}.`;
  }

  private option(): Option {
    return new Drawing(this.chart, this.known, this.benchmark, this.is_log, this.plot.clientHeight || 420).option();
  }

  private save_png(): void {
    this.draw();
    const link = this.drawn!.getDataURL({ type: "png", pixelRatio: 2, backgroundColor: ground() });
    const bytes = Uint8Array.from(atob(link.slice(link.indexOf(",") + 1)), (letter) => letter.charCodeAt(0));
    save(`${this.chart.name}.png`, new Blob([bytes], { type: "image/png" }));
  }

  private save_svg(): void {
    const off = echarts.init(null, null, { renderer: "svg", ssr: true, width: 1000, height: this.chart.flat ? this.plot.clientHeight : 560 });
    off.setOption({ ...this.option(), animation: false, backgroundColor: ground() });
    save(`${this.chart.name}.svg`, off.renderToSVGString(), "image/svg+xml");
    off.dispose();
  }
}

/** Lines over days that never come to 0. */
const can_be_log = (chart: Chart) => !chart.heat && chart.x.scale === "day" && chart.y.scale === "number" && chart.series.every((one) => one.kind === "line" && one.y.every((y) => y === null || y > 0));

/** The names that do not stand at the ends of lines. */
function key_of(chart: Chart, known: Set<string>, open: (name: string) => (() => void) | null): HTMLElement | null {
  const named = all_series(chart).map(({ series }) => series).filter((series) => series.kind !== "line" && series.name !== "");
  if (named.length === 0 || chart.heat) return null;
  const entries = named.map((series) => {
    const swatch = element("i", { class: "hatched" in series && series.hatched ? "hatched" : "" });
    swatch.style.color = shade(series.colour);
    if (series.kind === "band" && !series.hatched) swatch.style.opacity = String(Math.min(1, 2.2 * series.opacity)); // as pale as it is
    listen(["theme"], () => (swatch.style.color = shade(series.colour)));
    const opens = open(series.name);
    if (opens) return element("li", {}, swatch, button(series.name, `Show each of ${series.name}`, opens));
    return known.has(series.name)
      ? element("li", {}, swatch, button(series.name, `Pick ${series.name}`, () => toggle(series.name)))
      : element("li", {}, swatch, series.name);
  });
  return element("ul", { class: "key" }, ...entries);
}

const quoted = (text: string) => (/[",\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text);

/** A row a point, whatever series it is of. */
export function csv_of(chart: Chart): string {
  const rows = [["series", chart.x.title || "x", chart.y.title || "y", "high"]];
  const place = (x: number) => chart.x.categories[Math.round(x)] ?? (chart.x.scale === "day" ? day(x) : String(x));
  if (chart.heat) {
    const { names, values } = chart.heat;
    return [["", ...names], ...names.map((name, i) => [name, ...names.map((_, j) => String(values[i * names.length + j] ?? ""))])]
      .map((row) => row.map(quoted).join(",")).join("\n") + "\n";
  }
  for (const { series, panel } of all_series(chart)) {
    const { scale } = panel === 0 ? chart.y : chart.below[panel - 1]!.y;
    const up = (figure: number | null | undefined) => (figure === null || figure === undefined ? "" : scale === "day" ? day(figure) : String(figure));
    series.x.forEach((x, k) => {
      const range = series.kind === "band" || series.kind === "whiskers";
      const y = range ? series.low[k] : series.kind === "bars" ? series.close[k] : series.y[k];
      rows.push([series.name, place(x), up(y), range ? up(series.high[k]) : ""]);
    });
  }
  return rows.map((row) => row.map(quoted).join(",")).join("\n") + "\n";
}

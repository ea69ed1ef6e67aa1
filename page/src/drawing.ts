// How a chart's values become a drawing: axes, zooms, and a shape for each kind of series.

import type { Axis, Chart, Figures, Panel, Series } from "./data";
import { element } from "./dom";
import { by_scale, day, ratio } from "./format";
import { current, is_dark } from "./state";

export type Option = Record<string, any>; // eslint-disable-line: ECharts' own types cannot be put together from lists
export const ms_of_a_day = 86_400_000;
/** Lines end in their own names up to so many. */
const most_named = 8;
const most_figures_in_cells = 20;
const plainly = new Intl.NumberFormat("en-US");

const dark_tints: Record<string, string> = {
  "#0B5563": "#63B4C2", "#A8442A": "#E58F76", "#5B7F3A": "#A6C988", "#6B5B95": "#B8ABDD",
  "#D98E04": "#F0B44C", "#C8A26B": "#E3C99D", "#1E2A32": "#E6EDEF", "#DDEBE9": "#21404A",
};
export const shade = (colour: string) => (is_dark() ? (dark_tints[colour] ?? colour) : colour);
const ink = () => (is_dark() ? "#E6EDEF" : "#1E2A32");
const quiet = () => (is_dark() ? "#9FB1B8" : "#52636C");
export const ground = () => (is_dark() ? "#10191E" : "#FFFFFF");
const rule = () => (is_dark() ? "#2B3A42" : "#E2E8EA");

const dashes = { solid: "solid", dashed: [7, 4], dotted: [2, 3], dash_dot: [8, 3, 2, 3] };
const symbols: Record<string, string> = { dot: "circle", circle: "circle", square: "rect", diamond: "diamond", triangle: "triangle" };

/** Every series of a chart and its panels, with the panel that it is in. */
export const all_series = (chart: Chart) =>
  [chart as Panel, ...chart.below].flatMap((panel, at) => panel.series.map((series) => ({ series, panel: at })));

const along = (chart: Chart, x: number) => (chart.x.scale === "day" ? x * ms_of_a_day : x);

/** What a series, or a point of it, stands for: an asset, or the run that it is of by its portfolio and schedule. */
export function pick_of(chart: Chart, series: Series, label: string, known: Set<string>): string | null {
  const portfolio = /^[a-z]+-(.+)$/.exec(chart.name)?.[1] ?? "";
  return [label, series.name, `${series.name}, ${label}`, `${portfolio}, ${series.name}`].find((name) => known.has(name)) ?? null;
}

/** Days run along its horizontal axis. */
export const is_over_days = (chart: Chart) => !chart.heat && (chart.x.scale === "day" || chart.flat && chart.y.scale === "day");

export const place_text = (chart: Chart, x: number) => chart.x.categories[Math.round(x)] ?? by_scale(x, chart.x.scale);

/** A chart as it is to be drawn now. */
export class Drawing {
  constructor(
    private readonly chart: Chart,
    private readonly known: Set<string>,
    private readonly benchmark: string,
    private readonly is_log: boolean,
    private readonly height: number,
  ) {}

  option(): Option {
    const base: Option = {
      animation: false, textStyle: { fontFamily: "inherit", color: ink() },
      tooltip: {
        trigger: this.chart.heat || !has_lines(this.chart) ? "item" : "axis", confine: true, renderMode: "html",
        backgroundColor: ground(), borderColor: rule(), textStyle: { color: ink(), fontSize: 12 },
        axisPointer: { type: "line", lineStyle: { color: quiet() } },
        formatter: (items: any) => this.tip(Array.isArray(items) ? items : [items]),
      },
    };
    return this.chart.heat ? { ...base, ...this.heat_option() } : { ...base, ...this.plain_option() };
  }

  private tip(items: any[]): HTMLElement {
    const rows = items.filter((item) => item.data !== undefined && item.data !== null && item.data.told !== by_scale(0, "percent"));
    const tip = element("div", { class: "tip" });
    if (this.chart.heat) {
      const { names } = this.chart.heat;
      const [i, j, value] = rows[0]?.value ?? [0, 0, null];
      tip.append(`${names[j]} and ${names[i]}: ${by_scale(value, "number")}`);
      return tip;
    }
    const first = rows[0];
    const x = first?.value?.[this.chart.flat ? 1 : 0] ?? 0;
    tip.append(element("div", { class: "quiet" }, first?.data?.name || place_text(this.chart, this.chart.x.scale === "day" ? x / ms_of_a_day : x)));
    const up = this.chart.flat ? 0 : 1;
    const sorted = [...rows].sort((a, b) => (b.value[up] ?? -Infinity) - (a.value[up] ?? -Infinity));
    for (const item of sorted.slice(0, 24)) {
      const axis = this.axis_of(item.seriesIndex);
      const swatch = element("i");
      swatch.style.background = item.color;
      const value = item.data.told ?? by_scale(axis.scale === "day" ? item.value[up] / ms_of_a_day : item.value[up], axis.scale);
      tip.append(element("div", { class: "row" }, swatch, element("span", {}, item.seriesName || axis.title), element("b", {}, value)));
    }
    if (sorted.length > 24) tip.append(element("div", { class: "quiet" }, `and ${sorted.length - 24} more`));
    return tip;
  }

  private axis_of(series: number): Axis {
    const at = all_series(this.chart)[series]?.panel ?? 0;
    return at === 0 ? this.chart.y : this.chart.below[at - 1]!.y;
  }

  private plain_option(): Option {
    const { chart } = this;
    const panels: Panel[] = [chart, ...chart.below];
    const days = chart.x.scale === "day";
    const named = panels.flatMap((panel) => {
      const lines = lines_of(panel);
      return lines.filter((line) => this.is_strong(line, lines.length)).map((line) => line.name.length);
    });
    const right = Math.max(24, Math.min(170, 14 + 7 * Math.max(0, ...named)));
    const bottom = days ? 72 : 46;
    const shares = panels.length === 1 ? [1] : [0.64, ...chart.below.map(() => 0.36 / chart.below.length)];
    const height = this.height - bottom - 24;
    let top = 24;
    const grids = shares.map((share) => {
      const grid = { outerBoundsMode: "none", left: 76, right, top, height: height * share - 18 };
      top += height * share;
      return grid;
    });
    if (chart.flat) return this.flat_option(panels);
    return {
      grid: grids,
      xAxis: panels.map((_, at) => ({ ...this.axis(chart.x, at + 1 === panels.length), gridIndex: at, type: days ? "time" : "value" })),
      yAxis: panels.map((panel, at) => ({
        ...this.axis(panel.y, true), gridIndex: at, type: this.is_log && at === 0 ? "log" : "value",
        scale: !(at === 0 ? chart.y_from_zero : true), splitLine: { show: panel.y.categories.length === 0, lineStyle: { color: rule() } },
        nameLocation: "middle", nameGap: 58, nameTextStyle: { color: quiet() },
        ...(is_stacked(chart) ? { min: "dataMin", max: "dataMax" } : {}),
        ...(this.is_log && at === 0 ? { logBase: 2, min: "dataMin", max: "dataMax" } : {}),
      })),
      dataZoom: days ? this.zooms(panels.length) : [],
      series: panels.flatMap((panel, at) => panel.series.map((series) => this.series(series, at, panel))),
    };
  }

  /** Categories one below the other; of one panel. */
  private flat_option(panels: Panel[]): Option {
    const { chart } = this;
    const longest = Math.max(4, ...chart.x.categories.map((name) => name.length));
    const names = this.axis(chart.x, true);
    Object.assign(names.axisLabel, { rotate: 0, hideOverlap: true });
    const days = chart.y.scale === "day";
    return {
      grid: { left: Math.min(230, 16 + 7 * longest), right: 30, top: 14, bottom: days ? 72 : 46 },
      yAxis: { ...names, type: "value", inverse: true },
      xAxis: { ...this.axis(chart.y, true), type: days ? "time" : "value", scale: !chart.y_from_zero, splitLine: { show: true, lineStyle: { color: rule() } } },
      dataZoom: days ? this.zooms(1) : [],
      series: panels.flatMap((panel, at) => panel.series.map((series) => this.series(series, at, panel))),
    };
  }

  private zooms(panels: number): Option[] {
    const all = Array.from({ length: panels }, (_, at) => at);
    const { from, to } = current();
    const where = from !== null && to !== null ? { startValue: from * ms_of_a_day, endValue: to * ms_of_a_day } : {};
    return [
      { type: "inside", xAxisIndex: all, filterMode: "none", zoomOnMouseWheel: "ctrl", ...where },
      {
        type: "slider", xAxisIndex: all, filterMode: "none", bottom: 8, height: 20, borderColor: rule(), brushSelect: false,
        textStyle: { color: quiet() }, labelFormatter: (at: number) => day(Math.round(at / ms_of_a_day)), ...where,
      },
    ];
  }

  private axis(axis: Axis, labelled: boolean): Option {
    const names = axis.categories;
    const option: Option = {
      name: labelled ? axis.title : "", nameLocation: "middle", nameGap: 28, nameTextStyle: { color: quiet() },
      axisLabel: { show: labelled, color: quiet(), hideOverlap: true },
      axisLine: { onZero: false, lineStyle: { color: quiet() } }, splitLine: { show: false },
    };
    if (names.length > 0) {
      Object.assign(option, { min: -1, max: names.length, interval: 1 });
      Object.assign(option.axisLabel, { formatter: (at: number) => names[at] ?? "", rotate: names.length > 6 ? 35 : 0, hideOverlap: names.length > 40 });
      Object.assign(option, { axisTick: { show: false } });
    } else if (axis.scale === "percent") {
      option.axisLabel.formatter = (figure: number) => `${Number((100 * figure).toFixed(3))}%`;
    } else if (axis.scale === "number") {
      option.axisLabel.formatter = (figure: number) => plainly.format(figure);
    }
    if (axis !== this.chart.x) return option;
    option.scale = !this.chart.x_from_zero;
    if (is_labelled(this.chart)) option.boundaryGap = ["0%", "14%"]; // room for the last name
    if (this.chart.tight && names.length === 0) Object.assign(option, { min: "dataMin", max: "dataMax" });
    return option;
  }

  /** Of many lines the picked and the benchmark's are strong. */
  private is_strong(series: Series, lines: number): boolean {
    const { picked } = current();
    const pick = (of: Series) => pick_of(this.chart, of, "", this.known);
    const here = all_series(this.chart).some((one) => picked.has(pick(one.series) ?? ""));
    const own = pick(series);
    const beside = own === null || series.name === this.benchmark;
    if (here) return picked.has(own ?? "") || beside;
    return lines <= most_named || beside;
  }

  private series(series: Series, panel: number, of: Panel): Option {
    const lines = lines_of(of).length;
    const colour = shade(series.colour);
    const strong = this.is_strong(series, lines);
    const base: Option = { name: series.name, xAxisIndex: panel, yAxisIndex: panel, color: colour, clip: true };
    const flat = this.chart.flat;
    const up = <Y>(y: Y) => (of.y.scale === "day" && typeof y === "number" ? y * ms_of_a_day : y);
    const turned = <Y>(x: number, y: Y) => (flat ? [up(y), along(this.chart, x)] : [along(this.chart, x), up(y)]);
    const at = (x: number[], y: Figures) => x.map((place, k) => ({ value: turned(place, y[k]) }));
    switch (series.kind) {
      case "line":
        return {
          // One array of plain figures: thousands of points, an object each, would take most of the time.
          ...base, type: "line", dimensions: ["x", "y"], data: Float64Array.from(series.x.flatMap((x, k) => turned(x, series.y[k] ?? NaN))), symbol: "none", showSymbol: false, connectNulls: false, silent: false,
          triggerLineEvent: true, z: strong ? 3 : 2,
          lineStyle: { color: colour, width: series.width * (strong ? 0.8 : 0.5), type: dashes[series.dash], opacity: strong ? 1 : 0.4 },
          endLabel: { show: strong && series.name !== "", formatter: "{a}", color: colour, fontSize: 11, distance: 5 },
          labelLayout: { moveOverlap: "shiftY" }, emphasis: { focus: "none" },
        };
      case "points":
        return {
          ...base, type: "scatter", symbol: symbols[series.marker], symbolSize: series.marker === "dot" ? Math.max(2, 6 * series.size) : 4 + 2.4 * series.size, z: 4,
          data: series.x.map((x, k) => ({ value: turned(x, series.y[k]), name: series.labels[k] ?? "", itemStyle: this.point_style(series, series.labels[k] ?? "") })),
          label: { show: series.labels.length > 0, position: "right", formatter: (item: any) => item.data.name, color: ink(), fontSize: 10.5 },
          labelLayout: { hideOverlap: true },
        };
      case "columns":
        return { ...base, type: "custom", z: 4, data: at(series.x, series.y), encode: { x: 0, y: 1 }, renderItem: (_: any, api: any) => column(api, colour) };
      case "boxes":
        return {
          ...base, type: "custom", encode: { x: 0, y: 1 }, data: at(series.x, series.y),
          renderItem: (_: any, api: any) => box(api, series.width, colour, series.hatched, flat),
        };
      case "whiskers":
        return {
          ...base, type: "custom", encode: flat ? { x: [0, 2], y: 1 } : { x: 0, y: [1, 2] },
          data: series.x.map((x, k) => ({
            value: [...turned(x, series.low[k]), up(series.high[k])],
            told: `${by_scale(series.low[k], of.y.scale)} to ${by_scale(series.high[k], of.y.scale)}`,
          })),
          renderItem: (_: any, api: any) => whisker(api, colour, flat, of.y.scale === "day"),
        };
      case "bars":
        return {
          ...base, type: "custom", encode: { x: 0, y: [2, 3] },
          data: series.x.map((x, k) => ({
            value: [along(this.chart, x), series.close[k], series.low[k], series.high[k], series.open[k]],
            told: `${by_scale(series.open[k], of.y.scale)} to ${by_scale(series.close[k], of.y.scale)}`,
          })),
          renderItem: (_: any, api: any) => price_bar(api, colour),
        };
      case "band":
        return {
          ...base, type: "custom", silent: true, encode: { x: 0, y: [1, 2] },
          data: series.x.map((x, k) => ({
            value: [along(this.chart, x), series.low[k], series.high[k]],
            told: is_stacked(this.chart)
              ? by_scale((series.high[k] ?? 0) - (series.low[k] ?? 0), of.y.scale)
              : `${by_scale(series.low[k], of.y.scale)} to ${by_scale(series.high[k], of.y.scale)}`,
          })),
          renderItem: (item: any, api: any) => (item.dataIndexInside > 0 ? null : area(api, this.chart, series, colour)),
        };
    }
  }

  private point_style(series: Series, label: string): Option {
    const { picked } = current();
    const pick = pick_of(this.chart, series, label, this.known);
    if (picked.size === 0 || pick === null) return {};
    return picked.has(pick) ? { borderColor: ink(), borderWidth: 2 } : { opacity: 0.35 };
  }

  private heat_option(): Option {
    const { names, values } = this.chart.heat!;
    const { picked } = current();
    const some = names.some((name) => picked.has(name));
    const cells = values.map((value, k) => {
      const [i, j] = [k % names.length, Math.floor(k / names.length)];
      const strong = !some || picked.has(names[i]!) || picked.has(names[j]!);
      return { value: [i, j, value], name: names[j]!, itemStyle: { opacity: strong ? 1 : 0.35 } };
    });
    const axis = { type: "category", data: names, axisTick: { show: false }, axisLine: { show: false } };
    const figures = names.length <= most_figures_in_cells;
    return {
      grid: { left: 96, right: 20, top: 10, bottom: 84 },
      xAxis: { ...axis, axisLabel: { color: quiet(), rotate: 55, interval: 0, fontSize: names.length > 24 ? 8 : 11 } },
      yAxis: { ...axis, inverse: true, axisLabel: { color: quiet(), interval: 0, fontSize: names.length > 24 ? 8 : 11 } },
      visualMap: { show: false, min: -1, max: 1, dimension: 2, inRange: { color: ["#0B5563", "#DDEBE9", "#D98E04"] } },
      series: [{
        type: "heatmap", data: cells,
        label: { show: figures, color: "#1E2A32", fontSize: 10, formatter: (cell: any) => (cell.value[2] === null ? "" : ratio(cell.value[2])) },
      }],
    };
  }
}

const lines_of = (panel: Panel) => panel.series.filter((one) => one.kind === "line" && one.name !== "");
const is_labelled = (chart: Chart) => chart.series.some((one) => one.kind === "points" && one.labels.length > 0);
const has_lines = (chart: Chart) => all_series(chart).some(({ series }) => ["line", "bars", "band"].includes(series.kind));
/** Areas that lie on each other, with columns before them or not. */
const is_stacked = (chart: Chart) => {
  const areas = chart.series.filter((one) => one.kind !== "columns");
  return chart.below.length === 0 && areas.length > 1 && areas.every((one) => one.kind === "band");
};

function column(api: any, colour: string): Option {
  const [x, y] = api.coord([api.value(0), api.value(1)]);
  const [, zero] = api.coord([api.value(0), 0]);
  return { type: "line", shape: { x1: x, y1: zero, x2: x, y2: y }, style: { stroke: colour, lineWidth: 1.5 } };
}

/** @param spans it is what was, and not how far something may lie off */
function whisker(api: any, colour: string, flat: boolean, spans: boolean): Option {
  const [x1, y1] = api.coord([api.value(0), api.value(1)]);
  const [x2, y2] = api.coord(flat ? [api.value(2), api.value(1)] : [api.value(0), api.value(2)]);
  return { type: "line", shape: { x1, y1, x2, y2 }, style: { stroke: colour, lineWidth: spans ? 9 : 5, opacity: spans ? 0.8 : 0.5 } };
}

function box(api: any, width: number, colour: string, hatched: boolean, flat: boolean): Option {
  const [place, figure] = flat ? [api.value(1), api.value(0)] : [api.value(0), api.value(1)];
  const corner = (across: number, up: number) => api.coord(flat ? [up, across] : [across, up]);
  const [one, other] = [corner(place - width / 2, figure), corner(place + width / 2, 0)];
  const [left, right] = [Math.min(one[0], other[0]), Math.max(one[0], other[0])];
  const [top, bottom] = [one[1], other[1]];
  const style = hatched ? { fill: "transparent", stroke: colour, lineWidth: 1.5, lineDash: [4, 2] } : { fill: colour };
  return { type: "rect", shape: { x: left, y: Math.min(top, bottom), width: Math.max(1, right - left), height: Math.abs(bottom - top) }, style };
}

function price_bar(api: any, colour: string): Option {
  const [x, low] = api.coord([api.value(0), api.value(2)]);
  const y = (at: number) => api.coord([api.value(0), api.value(at)])[1];
  const stroke = { stroke: colour, lineWidth: 1 };
  const line = (x1: number, y1: number, x2: number, y2: number) => ({ type: "line", shape: { x1, y1, x2, y2 }, style: stroke });
  return { type: "group", children: [line(x, low, x, y(3)), line(x - 2, y(4), x, y(4)), line(x, y(1), x + 2, y(1))] };
}

function area(api: any, chart: Chart, band: Extract<Series, { kind: "band" }>, colour: string): Option {
  const edge = (figures: Figures) =>
    band.x.flatMap((x, k) => (figures[k] === null ? [] : [api.coord([along(chart, x), figures[k]])]));
  const style = band.hatched
    ? { fill: colour, opacity: 0.12, stroke: colour, lineDash: [4, 3] }
    : { fill: colour, opacity: band.opacity };
  return { type: "polygon", shape: { points: [...edge(band.high), ...edge(band.low).reverse()] }, style };
}

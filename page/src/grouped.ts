// Stacked weights of many assets: small ones stand together by their kind, until they are opened.

import type { Chart, Figures, Series } from "./data";

type Band = Series & { kind: "band" };
/** So many, the largest, stand alone. */
const most_alone = 14;

const thickness = (band: Band): Figures => band.low.map((low, k) => (low === null || band.high[k] === null ? null : band.high[k]! - low));
const peak = (band: Band) => Math.max(0, ...thickness(band).map((one) => one ?? 0));

/** Whether it is a stack of weights, none of them short, with more parts than can be told apart. */
export function can_group(chart: Chart): boolean {
  const bands = chart.series.filter((one): one is Band => one.kind === "band");
  return chart.below.length === 0 && chart.series.every((one) => one.kind === "band" || one.kind === "columns") && bands.length > most_alone && bands.every((band) => band.low.every((low) => low === null || low >= -1e-12));
}

/** The same with all but the largest together: a band a kind, named "bonds: 5 more". */
export function grouped(chart: Chart, tags: Record<string, string>, opened: Set<string>): Chart {
  const bands = chart.series.filter((one): one is Band => one.kind === "band");
  const large = new Set([...bands].sort((a, b) => peak(b) - peak(a)).slice(0, most_alone));
  const kind = (band: Band) => tags[band.name] ?? "others";
  const is_small = (band: Band) => !large.has(band) && !opened.has(kind(band));
  const kinds = [...new Set(bands.filter(is_small).map(kind))];
  const groups = kinds.map((name) => ({ name, parts: bands.filter((band) => is_small(band) && kind(band) === name) }));
  const parts = [
    ...bands.filter((band) => !is_small(band)).map((band) => ({ like: band, name: band.name, of: [band] })),
    ...groups.map(({ name, parts }) => ({ like: parts[0]!, name: parts.length === 1 ? parts[0]!.name : `${name}: ${parts.length} more`, of: parts })),
  ];
  let top = bands[0]!.x.map(() => 0);
  const series = parts.map(({ like, name, of }): Band => {
    const low = top;
    const sizes = of.map(thickness);
    top = low.map((at, k) => at + sizes.reduce((sum, size) => sum + (size[k] ?? 0), 0));
    return { ...like, name, low, high: top };
  });
  return { ...chart, series: [...series, ...chart.series.filter((one) => one.kind !== "band")] };
}

/** The kind of a band that stands for several. */
export const kind_of = (name: string): string | null => /^(.*): \d+ more$/.exec(name)?.[1] ?? null;

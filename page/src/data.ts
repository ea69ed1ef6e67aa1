// What the tool puts into the page: chapters as they are written everywhere, and what the page computes from.

export type Scale = "number" | "percent" | "day";
export interface Axis {
  title: string;
  scale: Scale;
  categories: string[];
}
interface Named {
  name: string;
  colour: string;
}
/** Days are counted from 1970-01-01; what is missing is null. */
export type Figures = (number | null)[];
export type Series =
  | (Named & { kind: "line"; x: number[]; y: Figures; dash: "solid" | "dashed" | "dotted" | "dash_dot"; width: number })
  | (Named & { kind: "points"; x: number[]; y: Figures; labels: string[]; marker: string; size: number })
  | (Named & { kind: "columns"; x: number[]; y: Figures })
  | (Named & { kind: "bars"; x: number[]; open: Figures; high: Figures; low: Figures; close: Figures })
  | (Named & { kind: "whiskers"; x: number[]; low: Figures; high: Figures })
  | (Named & { kind: "boxes"; x: number[]; y: Figures; width: number; hatched: boolean })
  | (Named & { kind: "band"; x: number[]; low: Figures; high: Figures; hatched: boolean; opacity: number });

export interface Panel {
  y: Axis;
  series: Series[];
}
export interface Chart extends Panel {
  name: string;
  title: string;
  subtitle: string;
  x: Axis;
  x_from_zero: boolean;
  y_from_zero: boolean;
  tight: boolean;
  /** The axes change places, the first category on top. */
  flat: boolean;
  below: Panel[];
  heat: { names: string[]; values: (number | null)[] } | null;
}
/** A cell as it is sorted, and as it is read. */
export type Cell = [value: number | string | null, shown: string];
export interface Table {
  name: string;
  title: string;
  /** `error_of`: the number of the column that it holds the standard errors of. */
  columns: { name: string; unit: string; format: string; error_of?: number }[];
  rows: Cell[][];
  notes: string[];
}
export interface Chapter {
  command: string;
  sentence: string;
  warnings: string[];
  tables: Table[];
  charts: Chart[];
}
export type Weights = Record<string, number>;
/** A limit that binds: what a unit of its figure less of it would take off variance / 2 - lambda x return. */
export interface Binding {
  limit: string;
  multiplier: number;
  /** Then the sign says which way: negative where raising its figure gains. */
  equality?: boolean;
  /** Of an average: per unit of its column, not per 100 percentage points. */
  per_unit?: boolean;
}
/** On the way down to the next corner all goes in straight lines, to that one's figures, or its `..._above` where it has them. */
export interface Corner {
  expected_return: number;
  volatility: number;
  weights: Weights;
  lambda: number;
  lambda_above?: number;
  binding: Binding[];
  binding_above?: Binding[];
}
export interface Portfolio {
  name: string;
  weights: Weights;
  expected_return: number;
  volatility: number;
  sharpe: number | null;
  /** How far each weight can move: least and most; null where it isn't known. */
  room?: Record<string, [number, number] | null>;
}
/** What the limits leave to the weights; limits are told by their number. */
export interface Bounds {
  limits: { name: string; rule: string }[];
  lower: (number | null)[];
  upper: (number | null)[];
  lower_limit: (number | null)[];
  upper_limit: (number | null)[];
  budget: number;
  rows: { about: string; limit: number | null; coefficients: number[]; bend: number[]; bend_at: number[]; constant: number; lower: number | null; upper: number | null }[];
  volatility: number | null;
  tracking_error: number | null;
  holdings: number | null;
  held: number | null;
}
/** What draws of the history promise at each risk: 90% of them from low to high. */
export interface Drawn {
  draws: number;
  frontier: { volatility: number; low: number; median: number; high: number }[];
}
/** The benchmark as the assets see it. */
export interface BenchmarkRisk {
  covariances: number[];
  variance: number;
}
/** The returns that correlations are of, a list a row; each row spans so many periods. */
export interface Returns {
  assets: string[];
  start: string;
  days: string[];
  spans: number[];
  returns: number[][];
}
/** What orders of one side cost: rates of the value traded, amounts of money. */
export interface SideCosts {
  fee: number;
  tiers: [from: number, rate: number][];
  whole: boolean;
  least: number;
  most: number | null;
  in_proportion: number;
  impact: number;
}
/** What trading today begins with. */
export interface Trading {
  wealth: number;
  cash: number;
  smallest_order: number;
  cash_floor: number;
  in_lots: boolean;
  /** `lot`: units that orders are whole numbers of; 0 without lots. */
  assets: { asset: string; units: number; price: number; price_day: string; lot: number; market: number; buy: SideCosts; sell: SideCosts }[];
}
type BySchedule = Record<string, (number | null)[]>;
/** One portfolio's schedules at other levels of trading costs. */
export interface CostLevels {
  aim: string;
  baseline: string;
  schedules: string[];
  levels: number[];
  growth: BySchedule;
  volatility: BySchedule;
  sharpe: BySchedule;
  max_drawdown: BySchedule;
  cost_per_year: BySchedule;
  tracking_to_targets: BySchedule;
  break_evens: { schedule: string; low: number; high: number; better_below: boolean }[];
}
export interface Estimate {
  assets: string[];
  expected_return: number[];
  covariance: number[][];
  risk_free: number;
  /** In place of a covariance, which is loadings x factor covariance x loadings + specific variance. */
  loadings?: number[][];
  factor_covariance?: number[][];
  specific_variance?: number[];
}
export interface Study {
  title: string;
  version: string;
  from: string;
  to: string;
  currency: string;
  benchmark: string;
  chapters: Chapter[];
  estimate: Estimate;
  corners: Corner[];
  portfolios: Portfolio[];
  bounds: Bounds | null;
  benchmark_risk: BenchmarkRisk | null;
  sensitivity: Drawn | null;
  cost_levels: CostLevels | null;
  /** Of the assets, by column: what sorts them into kinds. */
  tags: Record<string, Record<string, string>>;
  returns: Returns | null;
  /** Assets in the orders that a matrix can have, by name. */
  orders: Record<string, string[]>;
  /** How much expected return the portfolios' rooms may cost. */
  room_for: number | null;
  /** Where what is held is known, and has prices. */
  trading: Trading | null;
  inputs: Record<string, unknown>;
  command: string;
}

/** What the tool writes as JSON of one stage. */
export interface Document {
  command: string;
  inputs: Record<string, unknown>;
  result: Record<string, unknown>;
}

/** Deflated and in base64, so that a page of years of prices stays small. */
export async function read_study(): Promise<Study> {
  const packed = document.getElementById("study")!.textContent!.trim();
  const letters = atob(packed);
  const bytes = new Uint8Array(letters.length);
  for (let k = 0; k < letters.length; ++k) bytes[k] = letters.charCodeAt(k);
  // Nothing of it is run, whatever it says.
  const stream = new Blob([bytes]).stream().pipeThrough(new DecompressionStream("deflate"));
  const study = JSON.parse(await new Response(stream).text()) as Study;
  make_dense(study.estimate);
  study.chapters.forEach(unshare);
  return { ...empty_study(), ...study };
}

/** Corners as what changed in each since the one before: the place of an asset and its weight, in turn. */
export interface Moves {
  assets: string[];
  corners: (Omit<Corner, "weights"> & { changed: number[] })[];
}

export function corners_of({ assets, corners }: Moves): Corner[] {
  let weights: Weights = {};
  return corners.map(({ changed, ...corner }) => {
    weights = { ...weights };
    for (let k = 0; k < changed.length; k += 2) {
      const asset = assets[changed[k]!]!;
      if (changed[k + 1] === 0) delete weights[asset];
      else weights[asset] = changed[k + 1]!;
    }
    return { ...corner, weights };
  });
}

/** A chart that is another one under a second name says so. A series along the same figures as an earlier one of its chart has that one's number in their place. */
function unshare(chapter: Chapter): void {
  chapter.charts = chapter.charts.map((chart) => {
    const { same_as } = chart as { same_as?: string };
    return same_as === undefined ? chart : { ...chapter.charts.find((one) => one.name === same_as)!, name: chart.name };
  });
  for (const chart of new Set(chapter.charts)) {
    const all = [...chart.series, ...chart.below.flatMap((panel) => panel.series)];
    for (const series of all) if (typeof series.x === "number") series.x = all[series.x as unknown as number]!.x;
  }
}

/** A study that nothing is known of yet. */
export const empty_study = (): Study => ({
  title: "", version: "", from: "", to: "", currency: "", benchmark: "", chapters: [], corners: [], portfolios: [], inputs: {}, command: "",
  bounds: null, benchmark_risk: null, sensitivity: null, cost_levels: null, tags: {}, returns: null, orders: {}, room_for: null, trading: null,
  estimate: { assets: [], expected_return: [], covariance: [], risk_free: 0 },
});

/** Works a chapter into the study, in the place of the one that it had. */
export function take(study: Study, chapter: Chapter, { inputs, result }: Document): void {
  unshare(chapter);
  const at = study.chapters.findIndex((one) => one.command === chapter.command);
  if (at >= 0) study.chapters[at] = chapter;
  else study.chapters.push(chapter);
  if (typeof inputs["benchmark"] === "string") study.benchmark = inputs["benchmark"];
  if (chapter.command === "inspect") [study.from, study.to] = [String(result["from"]), String(result["to"])];
  if (chapter.command === "estimate") {
    study.estimate = result as unknown as Estimate;
    make_dense(study.estimate);
    study.inputs = inputs;
  }
  if (chapter.command === "frontier") {
    study.corners = result["corners"] as Corner[];
    study.bounds = (result["bounds"] as Bounds | undefined) ?? null;
    study.benchmark_risk = (result["benchmark_risk"] as BenchmarkRisk | undefined) ?? null;
    study.sensitivity = (result["sensitivity"] as Drawn | undefined) ?? null;
  }
  if (chapter.command === "weigh") {
    study.portfolios = result["portfolios"] as Portfolio[];
    study.tags = (result["tags"] as Study["tags"] | undefined) ?? {};
    study.room_for = (result["room_for"] as number | undefined) ?? null;
    study.trading = (result["trading"] as Trading | undefined) ?? null;
  }
  if (chapter.command === "relate") {
    study.returns = (result["returns_table"] as Returns | undefined) ?? null;
    study.orders = (result["orders"] as Study["orders"] | undefined) ?? {};
  }
  if (chapter.command === "rehearse") study.cost_levels = (result["cost_levels"] as CostLevels | undefined) ?? null;
}

function make_dense(estimate: Estimate): void {
  const { loadings, factor_covariance: factors, specific_variance: own } = estimate;
  if (!loadings || !factors || !own) return;
  const by_factor = loadings.map((row) => factors.map((column) => row.reduce((sum, l, f) => sum + l * column[f]!, 0)));
  estimate.covariance = loadings.map((_, i) =>
    loadings.map((other, j) => other.reduce((sum, l, f) => sum + l * by_factor[i]![f]!, i === j ? own[i]! : 0)));
}

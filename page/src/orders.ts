// The orders that lead from what is held to a portfolio, as the tool makes them.

import type { SideCosts, Trading, Weights } from "./data";

export interface PageOrder {
  asset: string;
  /** Bought, or sold below 0. */
  value: number;
  units: number;
  price: number;
  price_day: string;
  cost: number;
}
export interface PageOrders {
  orders: PageOrder[];
  cost: number;
  wealth_after: number;
  cash_after: number;
  /** What the weights were multiplied by so that they leave the floor of cash. */
  scaled: number;
  /** What purchases were multiplied by so that cash stays at its floor. */
  shrunk: number;
  /** Cash below its floor where no purchase is left to make smaller. */
  shortfall: number;
}

/** A smaller order is rounding; of the wealth. */
const rounding = 1e-9;
const most_steps = 200;
/** So near below a whole lot it is one; of the units. */
const lot_rounding = 1e-12;

function commission_of(side: SideCosts, value: number): number {
  let commission = 0;
  for (const [k, [from, rate]] of side.tiers.entries()) {
    if (k > 0 && value <= from) break;
    const to = side.tiers[k + 1]?.[0] ?? Infinity;
    commission = side.whole ? rate * value : commission + rate * (Math.min(value, to) - from);
  }
  return commission;
}

/** What an order of a value costs. */
export function cost_of(side: SideCosts, value: number, market: number): number {
  const commission = Math.min(side.most ?? Infinity, Math.max(side.least, commission_of(side, value)));
  return side.fee + commission + side.in_proportion * value + side.impact * market * Math.sqrt(value) * value;
}

interface Draft {
  at: number;
  sign: number;
}

/** Positions in whole lots: each rounded toward zero, then single lots bought in order of the largest shortfall in value,
    of at least half a lot, while cash stays at its floor.
    @param traded units, in fractions */
function in_lots({ assets, cash }: Trading, traded: number[], smallest: number, floor: number): number[] {
  const orders = assets.map(() => 0);
  const is_too_small = (at: number, units: number) => Math.abs(units * assets[at]!.price) < smallest;
  const outlay = (at: number, units: number) => {
    const { buy, sell, market, price } = assets[at]!;
    const value = units * price;
    return value === 0 ? 0 : value + cost_of(value > 0 ? buy : sell, Math.abs(value), market);
  };
  const wants: { at: number; short_of: number }[] = [];
  assets.forEach(({ units, price, lot }, at) => {
    if (traded[at] === 0) return;
    const meant = units + traded[at]!;
    const whole = lot * Math.trunc((meant / lot) * (1 + lot_rounding));
    const short_of = (meant - whole) * price;
    if (short_of >= (lot * price) / 2) wants.push({ at, short_of });
    if (!is_too_small(at, whole - units)) orders[at] = whole - units;
  });
  let left = cash - orders.reduce((total, units, at) => total + outlay(at, units), 0);
  for (const { at } of [...wants].sort((one, other) => other.short_of - one.short_of)) {
    const more = orders[at]! + assets[at]!.lot;
    const then = left + outlay(at, orders[at]!) - outlay(at, more);
    if (then < floor || (more !== 0 && is_too_small(at, more))) continue; // a smaller one may fit
    orders[at] = more;
    left = then;
  }
  return orders;
}

/** Costs are paid out of the same wealth: W + costs of going to the weights of W = what it was. */
export function orders_to(trading: Trading, weights: Weights): PageOrders {
  const { assets, wealth, cash, cash_floor } = trading;
  const asked = assets.map(({ asset }) => weights[asset] ?? 0);
  const sum = asked.reduce((total, weight) => total + weight, 0);
  const scale = cash_floor > 0 && sum > 1 - cash_floor ? (1 - cash_floor) / sum : 1;
  const to = asked.map((weight) => weight * scale);
  const held = assets.map(({ units, price }) => units * price);
  const floor = Math.min(cash_floor, 1 - scale * sum);
  const smallest = Math.max(trading.smallest_order, rounding * wealth);
  let drafts: Draft[] = to.flatMap((weight, at) => (Math.abs(weight * wealth - held[at]!) < smallest ? [] : [{ at, sign: Math.sign(weight * wealth - held[at]!) }]));

  const size = ({ at, sign }: Draft, after: number, factor: number) => (sign > 0 ? factor : 1) * Math.max(0, sign * (to[at]! * after - held[at]!));
  const cost = ({ at, sign }: Draft, value: number) => cost_of(sign > 0 ? assets[at]!.buy : assets[at]!.sell, value, assets[at]!.market);
  const costs = (of: Draft[], after: number, factor: number) => of.reduce((total, one) => total + cost(one, size(one, after, factor)), 0);
  /** The wealth after trading, and the orders that do not turn there. */
  const settle = (factor: number): { after: number; kept: Draft[] } => {
    for (let kept = drafts; ; ) {
      let [low, high] = [0, wealth];
      for (let step = 0; step < most_steps && high - low > 1e-16 * wealth; ++step) {
        const middle = (low + high) / 2;
        if (middle + costs(kept, middle, factor) > wealth) high = middle;
        else low = middle;
      }
      const still = kept.filter(({ at, sign }) => sign * (to[at]! * low - held[at]!) >= 0);
      if (still.length === kept.length) return { after: low, kept };
      kept = still;
    }
  };
  const cash_left = ({ after, kept }: ReturnType<typeof settle>, factor: number) =>
    cash - costs(kept, after, factor) - kept.reduce((total, one) => total + one.sign * size(one, after, factor), 0);

  let factor = 1;
  let settled = settle(1);
  if (cash_left(settled, 1) < floor * settled.after - 1e-9 * wealth) {
    drafts = settled.kept;
    let [low, high] = [0, 1];
    for (let step = 0; step < 60; ++step) {
      const middle = (low + high) / 2;
      const there = settle(middle);
      if (cash_left(there, middle) > floor * there.after) low = middle;
      else high = middle;
    }
    factor = low;
    settled = settle(factor);
  }
  const traded = assets.map(() => 0);
  for (const one of settled.kept) {
    const value = size(one, settled.after, factor);
    if (value >= rounding * wealth) traded[one.at] = (one.sign * value) / assets[one.at]!.price;
  }
  const units = trading.in_lots ? in_lots(trading, traded, smallest, floor * wealth) : traded;
  const orders = assets.flatMap(({ asset, price, price_day, buy, sell, market }, at) => {
    const value = units[at]! * price;
    return value === 0 ? [] : [{ asset, price, price_day, value, units: units[at]!, cost: cost_of(value > 0 ? buy : sell, Math.abs(value), market) }];
  });
  const paid = orders.reduce((total, one) => total + one.cost, 0);
  return {
    orders: [...orders.filter(({ value }) => value < 0), ...orders.filter(({ value }) => value > 0)],
    cost: paid,
    wealth_after: wealth - paid,
    cash_after: cash - paid - orders.reduce((total, { value }) => total + value, 0),
    scaled: scale,
    shrunk: factor,
    shortfall: Math.max(0, floor * settled.after - cash_left(settled, factor)),
  };
}

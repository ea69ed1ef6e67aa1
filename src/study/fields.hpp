#pragma once
// The fields of what a study is made of, in order. A value that gets one more doesn't compile before it has its place
// here, so that nothing which changes a figure can be forgotten where values are packed.

#include <concepts>
#include <tuple>
#include <type_traits>

#include "inchtide/study/settings.hpp"
#include "inchtide/study/sources.hpp"

namespace inchtide {

template <typename S, typename T>
concept Is = std::same_as<std::remove_const_t<S>, T>;

template <Is<AlignPolicy> S>
auto fields(S& s) {
  auto& [kind, days, keep] = s;
  return std::tie(kind, days, keep);
}
template <Is<FieldChoice> S>
auto fields(S& s) {
  auto& [preferred, of_asset] = s;
  return std::tie(preferred, of_asset);
}
template <Is<ExpectedMethod> S>
auto fields(S& s) {
  auto& [kind, half_life] = s;
  return std::tie(kind, half_life);
}
template <Is<CovarianceMethod> S>
auto fields(S& s) {
  auto& [kind, half_life, factors] = s;
  return std::tie(kind, half_life, factors);
}
template <Is<View> S>
auto fields(S& s) {
  auto& [name, positions, expected, confidence] = s;
  return std::tie(name, positions, expected, confidence);
}
template <Is<EstimateOptions> S>
auto fields(S& s) {
  auto& [expected, covariance, denominator, risk_free, premium, aversion, implied, views, own, caps] = s;
  return std::tie(expected, covariance, denominator, risk_free, premium, aversion, implied, views, own, caps);
}
template <Is<Limit::Term> S>
auto fields(S& s) {
  auto& [factor, tag, value] = s;
  return std::tie(factor, tag, value);
}
template <Is<Limit> S>
auto fields(S& s) {
  auto& [name, text, kind, terms, tag, scope, outside, lower, upper] = s;
  return std::tie(name, text, kind, terms, tag, scope, outside, lower, upper);
}
template <Is<CommissionTier> S>
auto fields(S& s) {
  auto& [from, rate] = s;
  return std::tie(from, rate);
}
template <Is<SideClass> S>
auto fields(S& s) {
  auto& [fee, bps, least, most, half_spread, stamp_duty, conversion, impact, tiers, whole] = s;
  return std::tie(fee, bps, least, most, half_spread, stamp_duty, conversion, impact, tiers, whole);
}
template <Is<CostClass> S>
auto fields(S& s) {
  auto& [applies_to, buy, sell, custody, borrowing] = s;
  return std::tie(applies_to, buy, sell, custody, borrowing);
}
template <Is<Aim> S>
auto fields(S& s) {
  auto& [kind, target] = s;
  return std::tie(kind, target);
}
template <Is<Band> S>
auto fields(S& s) {
  auto& [width, measure, column, cash] = s;
  return std::tie(width, measure, column, cash);
}
template <Is<Schedule> S>
auto fields(S& s) {
  auto& [name, every, anchor, band, join, to, cap, tranches] = s;
  return std::tie(name, every, anchor, band, join, to, cap, tranches);
}
template <Is<AssetEnd> S>
auto fields(S& s) {
  auto& [asset, day, haircut] = s;
  return std::tie(asset, day, haircut);
}
template <Is<FlowPlan> S>
auto fields(S& s) {
  auto& [name, every, month, day, amount, of_wealth] = s;
  return std::tie(name, every, month, day, amount, of_wealth);
}
template <Is<Estimator> S>
auto fields(S& s) {
  auto& [name, expected, covariance] = s;
  return std::tie(name, expected, covariance);
}
template <Is<EstimateWindow> S>
auto fields(S& s) {
  auto& [span] = s;
  return std::tie(span);
}
template <Is<GridAxes> S>
auto fields(S& s) {
  auto& [name, schedules, levels, aims, estimators, windows, delays, starts] = s;
  return std::tie(name, schedules, levels, aims, estimators, windows, delays, starts);
}
template <Is<Settings> S>
auto fields(S& s) {
  auto& [assets, benchmark, currency, rate_carry, align, short_histories, drop_misprints, chosen_fields, fields_chosen,
         strict, from, to, last, trading_days, every, periods_per_year, keep_last_period, returns, pairwise, risk_free,
         methods, limits, added_limits, costs, horizon, aims, mixes, show_current, after_costs, borrowing, move_inside,
         rounding, room, gap, split, schedules, wealth, delay, size, smallest_order, cash_floor, lots, cash_rate,
         overdraft_rate, proceeds_earn, holiday_rows, ended_after, ends, flows, reestimate, estimate_over, withholding,
         real_moves, start_from_current, baseline, tried, cost_levels, futures, ends_below, falls_beyond, show_log,
         grid] = s;
  return std::tie(assets, benchmark, currency, rate_carry, align, short_histories, drop_misprints, chosen_fields,
                  fields_chosen, strict, from, to, last, trading_days, every, periods_per_year, keep_last_period,
                  returns, pairwise, risk_free, methods, limits, added_limits, costs, horizon, aims, mixes,
                  show_current, after_costs, borrowing, move_inside, rounding, room, gap, split, schedules, wealth,
                  delay, size, smallest_order, cash_floor, lots, cash_rate, overdraft_rate, proceeds_earn, holiday_rows,
                  ended_after, ends, flows, reestimate, estimate_over, withholding, real_moves, start_from_current,
                  baseline, tried, cost_levels, futures, ends_below, falls_beyond, show_log, grid);
}

template <Is<BarHistory> S>
auto fields(S& s) {
  auto& [asset, currency, calendar, days, figures] = s;
  return std::tie(asset, currency, calendar, days, figures);
}
template <Is<Tags> S>
auto fields(S& s) {
  auto& [columns, assets, rows] = s;
  return std::tie(columns, assets, rows);
}
template <Is<CorporateAction> S>
auto fields(S& s) {
  auto& [asset, ex_day, split, dividend, pay_day] = s;
  return std::tie(asset, ex_day, split, dividend, pay_day);
}
template <Is<RateHistory> S>
auto fields(S& s) {
  auto& [from, to, days, rates] = s;
  return std::tie(from, to, days, rates);
}
template <Is<WeightList> S>
auto fields(S& s) {
  auto& [name, assets, weights, source] = s;
  return std::tie(name, assets, weights, source);
}
template <Is<HoldingList> S>
auto fields(S& s) {
  auto& [assets, units, cash, source] = s;
  return std::tie(assets, units, cash, source);
}
template <Is<Where> S>
auto fields(S& s) {
  auto& [what, asset, limit, limit_text, file, column, cell, day, line] = s;
  return std::tie(what, asset, limit, limit_text, file, column, cell, day, line);
}
template <Is<Remedy> S>
auto fields(S& s) {
  auto& [means, words, value] = s;
  return std::tie(means, words, value);
}
template <Is<Notice> S>
auto fields(S& s) {
  auto& [lead, where, problem, remedies] = s;
  return std::tie(lead, where, problem, remedies);
}
template <Is<Sources> S>
auto fields(S& s) {
  auto& [bars, tags, actions, rates, current, held, implied, given, passed_over] = s;
  return std::tie(bars, tags, actions, rates, current, held, implied, given, passed_over);
}

}  // namespace inchtide

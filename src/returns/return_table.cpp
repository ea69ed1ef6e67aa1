#include "inchtide/returns/return_table.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <map>
#include <numeric>
#include <optional>

#include "base/numbers.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/range.hpp"

namespace inchtide {

ReturnTable returns_of(const PriceTable& table, const Interval& every, ReturnKind kind) {
  table.check();
  if (table.rows() < 2) {
    throw InputError("returns",
                     fmt::format("{} {} price {}", table.rows() == 0 ? "there is no" : "one", every.adjective(),
                                 table.rows() == 0 ? "in the window" : "is too few for one return"),
                     {{Means::prices, "Give a longer history"}, {Means::interval, "take a shorter interval"}});
  }
  ReturnTable result;
  result.days.assign(table.days.begin() + 1, table.days.end());
  result.start = table.days.front();
  result.assets = table.codes();
  result.every = every;
  result.kind = kind;
  result.periods_per_year =
      every.unit() == Unit::day ? table.rows_per_year() / every.count() : every.periods_per_year();
  const auto periods = table.prices.rows() - 1;
  std::vector<long> number;
  for (std::size_t row = 0; row < table.rows(); ++row) number.push_back(period_of_row(table, row, every));
  for (std::size_t row = 1; row < number.size(); ++row) {
    if (number[row] == number[row - 1]) {
      throw InputError("returns",
                       fmt::format("{} and {} lie in one {}", to_string(table.days[row - 1]),
                                   to_string(table.days[row]), every.words()),
                       "Take the prices at period ends first (period_ends)");
    }
    result.ends.push_back(number[row] - number[0]);
  }
  if (result.ends.back() == long(periods)) result.ends.clear();
  result.returns.setConstant(periods, table.prices.cols(), no_figure);
  result.spans.setZero(periods, table.prices.cols());
  for (Eigen::Index i = 0; i < table.prices.cols(); ++i) {
    Eigen::Index before = -1, count = 0;
    for (Eigen::Index t = 0; t <= periods; ++t) {
      if (!std::isfinite(table.prices(t, i))) continue;
      if (before >= 0) {
        const double growth = table.prices(t, i) / table.prices(before, i);
        result.returns(t - 1, i) = kind == ReturnKind::simple ? growth - 1 : std::log(growth);
        result.spans(t - 1, i) = int(number[std::size_t(t)] - number[std::size_t(before)]);
      }
      before = t;
      ++count;
    }
    if (count < 2) {
      throw InputError(Where::of_asset(table.assets[std::size_t(i)].code),
                       fmt::format("{} {} price is too few for one return", count, every.adjective()),
                       {{Means::prices, "Give a longer history"},
                        {Means::interval, "take a shorter interval"},
                        {Means::assets, "leave the asset out"}});
    }
  }
  return result;
}

ReturnTable simple_returns(const PriceTable& table, const Interval& every) {
  return returns_of(table, every, ReturnKind::simple);
}

void ReturnTable::check_shape() const {
  const auto& table = *this;
  const auto rows = Eigen::Index(table.days.size()), columns = Eigen::Index(table.assets.size());
  const bool fits = table.returns.rows() == rows && table.returns.cols() == columns && table.spans.rows() == rows &&
                    table.spans.cols() == columns && (table.ends.empty() || table.ends.size() == table.days.size());
  if (!fits) {
    throw InputError(
        "returns",
        fmt::format("{} x {} returns, {} x {} spans and {} ends for {} days and {} assets", table.returns.rows(),
                    table.returns.cols(), table.spans.rows(), table.spans.cols(), table.ends.size(), rows, columns),
        "Give a row a period and a column an asset");
  }
  if (!(table.periods_per_year > 0) || !std::isfinite(table.periods_per_year)) {
    throw InputError("returns", fmt::format("{} periods per year", table.periods_per_year), "Give a number above 0");
  }
}

namespace {

void check_column(const ReturnTable& table, Eigen::Index asset) {
  // Complete columns are quick to see: what is finite has a finite sum, but for one that overflows.
  if (table.returns.rows() > 0 && table.spans.col(asset).minCoeff() >= 1 &&
      std::isfinite(table.returns.col(asset).sum())) {
    return;
  }
  for (Eigen::Index t = 0; t < table.returns.rows(); ++t) {
    const double value = table.returns(t, asset);
    const int span = table.spans(t, asset);
    if (span >= 0 && (span == 0 ? std::isnan(value) : std::isfinite(value))) continue;
    throw InputError(Where::of_asset(table.assets[std::size_t(asset)]),
                     fmt::format("the return up to {} is {} and spans {} periods",
                                 to_string(table.days[std::size_t(t)]), value, span),
                     "Give a figure that spans 1 or more, or NaN that spans 0 where there is none");
  }
}

}  // namespace

void ReturnTable::check() const {
  check_shape();
  for (Eigen::Index i = 0; i < returns.cols(); ++i) check_column(*this, i);
}

void ReturnTable::check(Eigen::Index asset) const {
  check_shape();
  whole_within(asset, 0, int(returns.cols()) - 1, "asset");
  check_column(*this, asset);
}

void check_benchmark(const ReturnTable& returns, const Eigen::VectorXd& benchmark) {
  if (benchmark.size() == returns.returns.rows() && !benchmark.array().isInf().any()) return;
  throw InputError(
      "benchmark",
      fmt::format("{} returns for {} rows, each finite or missing", benchmark.size(), returns.returns.rows()),
      "Give one a row, NaN where there is none");
}

bool ReturnTable::is_dense() const {
  // All spans are equal to their neighbours, which is quick to see.
  const auto* first = spans.data();
  return spans.size() > 0 && *first == 1 &&
         std::memcmp(first, first + 1, std::size_t(spans.size() - 1) * sizeof(*first)) == 0;
}

ReturnTable ReturnTable::columns(const std::vector<Eigen::Index>& which) const {
  ReturnTable part;
  part.days = days;
  part.start = start;
  for (auto i : which) part.assets.push_back(assets[std::size_t(i)]);
  part.returns = returns(Eigen::all, which);
  part.spans = spans(Eigen::all, which);
  part.ends = ends;
  part.every = every;
  part.periods_per_year = periods_per_year;
  part.kind = kind;
  return part;
}

std::size_t ReturnTable::long_rows() const {
  return std::size_t((spans.array() > 1).rowwise().any().count());
}

namespace {

/// The periods at whose ends an asset has a price: where its returns begin and end.
std::vector<long> price_points(const ReturnTable& table, Eigen::Index asset) {
  std::vector<long> points;
  for (Eigen::Index t = 0; t < table.spans.rows(); ++t) {
    const long end = table.end(std::size_t(t)), span = table.spans(t, asset);
    if (span == 0) continue;
    if (points.empty() || points.back() != end - span) points.push_back(end - span);
    points.push_back(end);
  }
  return points;
}

/// What an asset's returns from one period's end to another's come to; nothing where they don't join up.
std::optional<double> compounded(const ReturnTable& table, Eigen::Index asset, long from, long to) {
  const bool simple = table.kind == ReturnKind::simple;
  double growth = simple ? 1 : 0;
  long at = to;
  for (auto t = Eigen::Index(table.spans.rows()) - 1; t >= 0 && at > from; --t) {
    if (table.end(std::size_t(t)) > at) continue;
    if (table.end(std::size_t(t)) < at || table.spans(t, asset) == 0) return std::nullopt;
    growth = simple ? growth * (1 + table.returns(t, asset)) : growth + table.returns(t, asset);
    at -= table.spans(t, asset);
    while (t > 0 && table.end(std::size_t(t - 1)) > at) --t;
  }
  if (at != from) return std::nullopt;
  return simple ? growth - 1 : growth;
}

}  // namespace

ReturnTable ReturnTable::at_common_ends(Eigen::Index followers) const {
  if (is_dense() || returns.cols() == followers) return *this;
  std::vector<long> common = price_points(*this, 0);
  for (Eigen::Index i = 1; i < returns.cols() - followers; ++i) {
    std::vector<long> both;
    std::ranges::set_intersection(common, price_points(*this, i), std::back_inserter(both));
    common = std::move(both);
  }
  ReturnTable result;
  result.assets = assets;
  result.every = every;
  result.periods_per_year = periods_per_year;
  result.kind = kind;
  const auto day_of = [&](long period) {
    for (std::size_t row = 0; row < days.size(); ++row) {
      if (end(row) == period) return days[row];
    }
    return start;
  };
  const long origin = common.empty() ? 0 : common.front();
  result.start = common.empty() ? start : day_of(origin);
  std::vector<Eigen::RowVectorXd> rows;
  std::vector<Eigen::RowVectorXi> row_spans;
  for (std::size_t k = 1; k < common.size(); ++k) {
    const long from = common[k - 1], to = common[k];
    Eigen::RowVectorXd row = Eigen::RowVectorXd::Constant(returns.cols(), no_figure);
    Eigen::RowVectorXi row_span = Eigen::RowVectorXi::Zero(returns.cols());
    bool joined = true;
    for (Eigen::Index i = 0; i < returns.cols() && joined; ++i) {
      if (const auto value = compounded(*this, i, from, to)) {
        row[i] = *value;
        row_span[i] = int(to - from);
      } else {
        joined = i >= returns.cols() - followers;
      }
    }
    if (!joined) continue;
    rows.push_back(std::move(row));
    row_spans.push_back(std::move(row_span));
    result.days.push_back(day_of(to));
    result.ends.push_back(to - origin);
  }
  result.returns.resize(Eigen::Index(rows.size()), returns.cols());
  result.spans.resize(Eigen::Index(rows.size()), returns.cols());
  for (std::size_t k = 0; k < rows.size(); ++k) {
    result.returns.row(Eigen::Index(k)) = rows[k];
    result.spans.row(Eigen::Index(k)) = row_spans[k];
  }
  if (!result.ends.empty() && result.ends.back() == long(rows.size())) result.ends.clear();
  return result;
}

std::vector<std::size_t> ReturnTable::common_rows() const {
  if (is_dense()) {
    std::vector<std::size_t> all(static_cast<std::size_t>(spans.rows()));
    std::iota(all.begin(), all.end(), std::size_t(0));
    return all;
  }
  // Column by column, as they lie in memory.
  Eigen::Array<bool, Eigen::Dynamic, 1> common = spans.col(0).array() > 0;
  for (Eigen::Index i = 1; i < spans.cols(); ++i) common = common && spans.col(i).array() == spans.col(0).array();
  std::vector<std::size_t> rows;
  for (Eigen::Index t = 0; t < common.size(); ++t) {
    if (common[t]) rows.push_back(std::size_t(t));
  }
  return rows;
}

std::vector<std::size_t> ReturnTable::shared_rows(Eigen::Index a, Eigen::Index b) const {
  std::vector<std::size_t> rows;
  for (Eigen::Index t = 0; t < spans.rows(); ++t) {
    if (spans(t, a) > 0 && spans(t, a) == spans(t, b)) rows.push_back(std::size_t(t));
  }
  return rows;
}

ReturnTable within_day_returns(const std::vector<BarHistory>& bars, ReturnKind kind) {
  std::map<Day, Eigen::Index> rows;
  const auto for_days = [](const BarHistory& bar, const auto& action) {
    if (!bar.has(PriceField::open) || !bar.has(PriceField::close)) return;
    std::size_t t = 0;
    for (Day day : bar.days) {
      const double open = bar.of(PriceField::open)[t], close = bar.of(PriceField::close)[t];
      if (std::isfinite(open) && std::isfinite(close)) action(day, close / open);
      ++t;
    }
  };
  for (const auto& bar : bars) {
    std::size_t count = 0;
    for_days(bar, [&](Day day, double) { rows[day] = 0, ++count; });
    if (count < 2) {
      throw InputError(Where::of_asset(bar.asset), fmt::format("{} days with an open and a close are too few", count),
                       {{Means::assets, "Leave it out"}, {Means::prices, "give a history that has both"}});
    }
  }
  ReturnTable result;
  for (auto& [day, row] : rows) {
    row = Eigen::Index(result.days.size());
    result.days.push_back(day);
  }
  result.start = result.days.front();
  result.every = {1, Unit::day};
  result.kind = kind;
  PriceTable calendar;
  calendar.days = result.days;
  result.periods_per_year = calendar.rows_per_year();
  const auto periods = Eigen::Index(rows.size()), n = Eigen::Index(bars.size());
  result.returns.setConstant(periods, n, no_figure);
  result.spans.setZero(periods, n);
  for (Eigen::Index i = 0; i < n; ++i) {
    result.assets.push_back(bars[std::size_t(i)].asset);
    for_days(bars[std::size_t(i)], [&](Day day, double growth) {
      const auto row = rows.at(day);
      result.returns(row, i) = kind == ReturnKind::simple ? growth - 1 : std::log(growth);
      result.spans(row, i) = 1;
    });
  }
  return result;
}

}  // namespace inchtide

#include "inchtide/returns/return_table.hpp"

#include <fmt/format.h>

#include <cmath>
#include <cstring>
#include <limits>
#include <map>
#include <numeric>

#include "inchtide/base/errors.hpp"

namespace inchtide {

ReturnTable returns_of(const PriceTable& table, const Interval& every, ReturnKind kind) {
  if (table.rows() < 2) {
    throw InputError("returns", fmt::format("{} {} price is too few for one return", table.rows(), every.words()),
                     "Give a longer history or a shorter interval (--every)");
  }
  ReturnTable result;
  result.days.assign(table.days.begin() + 1, table.days.end());
  result.start = table.days.front();
  result.assets = table.codes();
  result.every = every;
  result.kind = kind;
  result.periods_per_year = every.periods_per_year();
  const auto periods = table.prices.rows() - 1;
  result.returns.setConstant(periods, table.prices.cols(), std::numeric_limits<double>::quiet_NaN());
  result.spans.setZero(periods, table.prices.cols());
  for (Eigen::Index i = 0; i < table.prices.cols(); ++i) {
    Eigen::Index before = -1, count = 0;
    for (Eigen::Index t = 0; t <= periods; ++t) {
      if (!std::isfinite(table.prices(t, i))) continue;
      if (before >= 0) {
        const double growth = table.prices(t, i) / table.prices(before, i);
        result.returns(t - 1, i) = kind == ReturnKind::simple ? growth - 1 : std::log(growth);
        result.spans(t - 1, i) = int(t - before);
      }
      before = t;
      ++count;
    }
    if (count < 2) {
      throw InputError(table.assets[std::size_t(i)].code,
                       fmt::format("{} {} price is too few for one return", count, every.adjective()),
                       "Give a longer history or a shorter interval (--every), or leave the asset out");
    }
  }
  return result;
}

ReturnTable simple_returns(const PriceTable& table, const Interval& every) {
  return returns_of(table, every, ReturnKind::simple);
}

std::vector<std::size_t> ReturnTable::common_rows() const {
  // Without a hole every span is 1: all are equal to their neighbours, which is quick to see.
  const auto* first = spans.data();
  const bool complete = spans.size() > 0 && *first == 1 &&
                        std::memcmp(first, first + 1, std::size_t(spans.size() - 1) * sizeof(*first)) == 0;
  if (complete) {
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
      throw InputError(bar.asset, fmt::format("{} days with an open and a close are too few", count),
                       "Leave it out with --assets, or give a history that has both");
    }
  }
  ReturnTable result;
  for (auto& [day, row] : rows) {
    row = Eigen::Index(result.days.size());
    result.days.push_back(day);
  }
  result.start = result.days.front();
  result.every = {1, Unit::day};
  result.periods_per_year = result.every.periods_per_year();
  result.kind = kind;
  const auto periods = Eigen::Index(rows.size()), n = Eigen::Index(bars.size());
  result.returns.setConstant(periods, n, std::numeric_limits<double>::quiet_NaN());
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

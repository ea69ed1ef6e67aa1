#include "inchtide/returns/return_table.hpp"

#include <fmt/format.h>

#include <cmath>

#include "inchtide/base/errors.hpp"

namespace inchtide {

ReturnTable simple_returns(const PriceTable& table, const Interval& every) {
  if (table.rows() < 2) {
    throw InputError("returns", fmt::format("{} {} price is too few for one return", table.rows(), every.words()),
                     "Give a longer history or a shorter interval (--every)");
  }
  for (std::size_t i = 0; i < table.assets.size(); ++i) {
    for (std::size_t d = 0; d < table.rows(); ++d) {
      if (!std::isfinite(table.prices(Eigen::Index(d), Eigen::Index(i)))) {
        throw InputError(table.assets[i].code, fmt::format("no price on {}", to_string(table.days[d])),
                         "Align the histories on common days first");
      }
    }
  }
  ReturnTable result;
  result.days.assign(table.days.begin() + 1, table.days.end());
  result.start = table.days.front();
  result.assets = table.codes();
  result.every = every;
  result.periods_per_year = every.periods_per_year();
  const auto last = table.prices.bottomRows(table.prices.rows() - 1);
  const auto first = table.prices.topRows(table.prices.rows() - 1);
  result.returns = last.array() / first.array() - 1;
  return result;
}

}  // namespace inchtide

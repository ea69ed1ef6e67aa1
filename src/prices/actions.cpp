#include "inchtide/prices/actions.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"

namespace inchtide {

Adjusted adjusted_by(const PriceHistory& closes, const std::vector<CorporateAction>& actions) {
  closes.check(closes.asset);
  Adjusted result{closes};
  result.history.field = PriceField::adjusted_close;
  std::vector<double> factor_before(closes.days.size(), 1.0);  // on the rows before this one
  for (const auto& action : actions) {
    if (!same_name(action.asset, closes.asset)) continue;
    const auto fail = [&](const std::string& problem, const std::string& remedy) {
      throw InputError(fmt::format("{}, {}", action.asset, to_string(action.ex_day)), problem, remedy);
    };
    if (!(action.split > 0) || !std::isfinite(action.split)) {
      fail(fmt::format("a split of {}", action.split), "Give the new shares for one old one, e.g. 2");
    }
    if (!(action.dividend >= 0) || !std::isfinite(action.dividend))
      fail(fmt::format("a dividend of {}", action.dividend), "Give the cash for one share");
    const auto row = std::size_t(std::ranges::lower_bound(closes.days, action.ex_day) - closes.days.begin());
    if (row == 0 || row == closes.days.size()) {
      ++result.out_of_range;
      continue;
    }
    const double close_before = closes.prices[row - 1];
    if (action.dividend >= close_before) {
      fail(fmt::format("the dividend {:g} is not below the close before it, {:g}", action.dividend, close_before),
           "Check its currency, and that it is for one share");
    }
    factor_before[row] *= (1 - action.dividend / close_before) / action.split;
    if (action.split != 1) result.splits.push_back(closes.days[row]);
    result.dividends += action.dividend != 0 ? 1 : 0;
  }
  double factor = 1;
  for (std::size_t row = closes.days.size(); row-- > 0;) {
    result.history.prices[row] *= factor;
    factor *= factor_before[row];
  }
  return result;
}

}  // namespace inchtide

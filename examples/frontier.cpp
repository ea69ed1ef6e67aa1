// From price files to the efficient frontier.   Usage: example-frontier demo/prices
#include <fmt/format.h>

#include "inchtide/base/errors.hpp"
#include "inchtide/exchange/price_files.hpp"
#include "inchtide/frontier/frontier.hpp"

using namespace inchtide;

int main(int, char** arguments) try {
  const std::filesystem::path folder = arguments[1];
  std::vector<PriceHistory> histories;
  for (const char* asset : {"TIDEMILL", "KELPFARM", "HOLLBOND", "AMBERFND"}) {
    histories.push_back(exchange::read_price_file(folder / (std::string(asset) + ".csv")));
  }
  const auto prices = align_common(histories).table;
  const Interval monthly{1, Unit::month};
  const auto estimate = sample_estimate(simple_returns(period_ends(prices, monthly).table, monthly));

  const Limits limits{Limit::parse("each <= 50%"), Limit::parse("HOLLBOND >= 10%")};
  const auto frontier = trace_frontier(estimate, limits);
  const auto least = frontier.minimum_variance();
  const auto best = frontier.maximum_sharpe(0.02);

  fmt::print("{} corners\n{:10} {:>12} {:>12}\n", frontier.corners().size(), "", "min variance", "max Sharpe");
  for (std::size_t i = 0; i < estimate.assets.size(); ++i) {
    const auto at = Eigen::Index(i);
    fmt::print("{:10} {:12.6f} {:12.6f}\n", estimate.assets[i], least.weights[at], best.portfolio.weights[at]);
  }
  fmt::print("{:10} {:12.6f} {:12.6f}\n", "return", least.expected_return, best.portfolio.expected_return);
  fmt::print("{:10} {:12.6f} {:12.6f}\n", "volatility", least.volatility, best.portfolio.volatility);
} catch (const Error& error) {
  fmt::print(stderr, "{}\n", error.what());
  return 1;
}

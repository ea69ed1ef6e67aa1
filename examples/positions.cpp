// From what is held to fewer positions with little trading.   Usage: example-positions demo/prices
#include <fmt/format.h>

#include "inchtide/base/errors.hpp"
#include "inchtide/exchange/price_files.hpp"
#include "inchtide/weights/allocation.hpp"

using namespace inchtide;

int main(int, char** arguments) try {
  const std::filesystem::path folder = arguments[1];
  std::vector<PriceHistory> histories;
  for (const char* asset : {"TIDEMILL", "KELPFARM", "HOLLBOND", "AMBERFND", "HARBREIT", "BILLFUND"}) {
    histories.push_back(exchange::read_price_file(folder / (std::string(asset) + ".csv")));
  }
  const auto prices = align_common(histories).table;
  const Interval monthly{1, Unit::month};
  const auto estimate = sample_estimate(simple_returns(period_ends(prices, monthly).table, monthly));

  LimitFacts facts;
  facts.current = Eigen::VectorXd::Constant(estimate.size(), 1.0 / 6);  // what is held now: the same of each
  const Limits limits{Limit::parse("each <= 40%"), Limit::parse("turnover <= 35%"), Limit::parse("holdings <= 4"),
                      Limit::parse("held >= 5%")};
  const auto frontier = trace_frontier(estimate, limits, facts);
  const auto chosen = choose(frontier, Aim::parse("minimum-variance", "example"), 0.02);

  for (auto i : chosen.largest(6)) fmt::print("{:10} {:12.6f}\n", chosen.assets[i], chosen.weights[Eigen::Index(i)]);
  fmt::print("{:10} {:12.6f}\n{:10} {:12.6f}\n", "volatility", chosen.volatility, "turnover", *chosen.turnover);
  for (const auto& note : chosen.notes) fmt::print(stderr, "{}\n", note);
} catch (const Error& error) {
  fmt::print(stderr, "{}\n", error.what());
  return 1;
}

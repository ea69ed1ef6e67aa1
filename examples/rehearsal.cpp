// What a fixed mix would have left after trading costs.   Usage: example-rehearsal demo/prices
#include <fmt/format.h>

#include "inchtide/base/errors.hpp"
#include "inchtide/exchange/price_files.hpp"
#include "inchtide/rehearsal/rehearsal.hpp"

using namespace inchtide;

int main(int, char** arguments) try {
  const std::filesystem::path folder = arguments[1];
  std::vector<PriceHistory> histories;
  for (const char* asset : {"FERRYLNK", "HOLLBOND"}) {
    histories.push_back(exchange::read_price_file(folder / (std::string(asset) + ".csv")));
  }
  const auto prices = align_common(histories).table.between(parse_day("2022-12-30"), parse_day("2025-12-31"));

  RehearsalPlan plan;
  plan.weights = Eigen::Vector2d(0.6, 0.4);
  plan.terms.costs = asset_costs({CostClass::parse("15bp", "here")}, prices.codes(), {});
  fmt::print("{:10} {:>12} {:>12} {:>10} {:>10}\n", "schedule", "end wealth", "costs", "growth/y", "orders");
  for (const char* schedule : {"never", "1m", "1q", "1y"}) {
    plan.schedule = Schedule::parse(schedule, "here");
    const auto run = rehearse(prices, plan, {100'000, 1, 0.02});
    fmt::print("{:10} {:12.4f} {:12.4f} {:10.6f} {:10}\n", schedule, run.net[run.net.size() - 1], run.costs_paid,
               run.growth_per_year, run.order_count);
  }
} catch (const Error& error) {
  fmt::print(stderr, "{}\n", error.what());
  return 1;
}

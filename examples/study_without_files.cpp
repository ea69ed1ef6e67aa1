// The same without any file, on made-up prices: this program links inchtide::core alone.   Usage:
// example-study-without-files
#include <fmt/format.h>

#include <cmath>

#include "inchtide/base/errors.hpp"
#include "inchtide/study/runs.hpp"

using namespace inchtide;

// Weekdays of three years: a climb with waves of its own for each asset.
BarHistory made_up(const char* code, double climb, double wave, double pace) {
  BarHistory bars{code};
  std::vector<Day> days;
  for (Day day = *parse_day("2022-01-03"); day <= *parse_day("2024-12-31"); day += std::chrono::days{1}) {
    if (std::chrono::weekday(day).iso_encoding() > 5) continue;
    const double t = double(days.size());
    days.push_back(day);
    bars.of(PriceField::close).push_back(100 * std::exp(climb * t / 252 + wave * std::sin(pace * t)));
  }
  bars.days = DayList(std::move(days));
  return bars;
}

int main() try {
  Sources sources;
  sources.bars = {made_up("TIDEMILL", 0.08, 0.10, 0.05), made_up("KELPFARM", 0.12, 0.15, 0.031),
                  made_up("HOLLBOND", 0.03, 0.02, 0.09)};
  Settings settings;
  settings.limits = {Limit::parse("each <= 60%")};
  settings.aims = {Aim::parse("minimum-variance", "aim"), Aim::parse("equal", "aim")};
  settings.costs = {CostClass::parse("10bp", "cost")};
  settings.split = parse_day("2024-01-01");
  const auto universe = universe_of(sources, settings);
  const auto basis = basis_of(universe, sources, settings, settings.split);
  const auto portfolios = portfolios_of(basis, sources, settings);
  for (const auto& run : runs_of(universe, basis, portfolios, sources, settings).all) {
    fmt::print("{:40} {:14.2f} {:10.2f} {:6}\n", run.name, run.net[run.net.size() - 1], run.costs_paid,
               run.order_count);
  }
} catch (const Error& error) {
  fmt::print(stderr, "{}\n", error.what());
  return 1;
}

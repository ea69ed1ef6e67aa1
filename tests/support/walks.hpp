#pragma once
// Made-up histories: random walks of a seed of their own.

#include <chrono>
#include <cmath>
#include <optional>
#include <random>
#include <string>
#include <vector>

#include "inchtide/study/sources.hpp"

namespace inchtide::test {

inline Day day(const char* text) {
  return *parse_day(text);
}

/// Weekday closes from one day to another, a random walk of its own.
inline BarHistory walk(const std::string& code, unsigned seed, Day from = day("2018-01-01"),
                       Day to = day("2023-12-29")) {
  BarHistory bars{code};
  std::mt19937 random(seed);
  std::normal_distribution<double> step(0.0003, 0.01);
  std::vector<Day> days;
  double price = 50;
  for (Day d = from; d <= to; d += std::chrono::days{1}) {
    if (std::chrono::weekday(d).iso_encoding() > 5) continue;
    days.push_back(d);
    bars.of(PriceField::close).push_back(price *= std::exp(step(random)));
  }
  bars.days = DayList(std::move(days));
  return bars;
}

/// Without the days from one to another, both included.
inline void take_out(BarHistory& bars, Day from, Day to) {
  const auto first = bars.between(std::nullopt, from - std::chrono::days{1}),
             rest = bars.between(to + std::chrono::days{1}, std::nullopt);
  auto days = std::vector<Day>(first.days.begin(), first.days.end());
  days.insert(days.end(), rest.days.begin(), rest.days.end());
  auto closes = first.of(PriceField::close);
  closes.insert(closes.end(), rest.of(PriceField::close).begin(), rest.of(PriceField::close).end());
  bars.days = DayList(std::move(days));
  bars.of(PriceField::close) = closes;
}

inline Sources three() {
  Sources sources;
  sources.bars = {walk("TIDEMILL", 1), walk("KELPFARM", 2), walk("HOLLBOND", 3)};
  return sources;
}

}  // namespace inchtide::test

#include "inchtide/prices/findings.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <map>
#include <set>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/base/text.hpp"

namespace inchtide {
namespace {

double median_of(std::vector<double> values) {
  const auto middle = values.begin() + std::ptrdiff_t(values.size() / 2);
  std::ranges::nth_element(values, middle);
  if (values.size() % 2 == 1) return *middle;
  return (*middle + *std::max_element(values.begin(), middle)) / 2;
}

/// A split that people do: new shares for old ones.
struct Ratio {
  int new_shares, old_shares;

  double value() const { return double(new_shares) / old_shares; }
  std::string text() const { return fmt::format("{}:{}", new_shares, old_shares); }
};
constexpr Ratio ratios[] = {{2, 1},  {3, 1},  {4, 1},  {5, 1},  {6, 1},  {7, 1},  {8, 1},  {10, 1},
                            {12, 1}, {15, 1}, {20, 1}, {25, 1}, {30, 1}, {40, 1}, {50, 1}, {3, 2},
                            {1, 2},  {1, 3},  {1, 4},  {1, 5},  {1, 6},  {1, 7},  {1, 8},  {1, 10},
                            {1, 12}, {1, 15}, {1, 20}, {1, 25}, {1, 30}, {1, 40}, {1, 50}, {2, 3}};

/// The split whose ratio a one-day price ratio is the inverse of, to `tolerance` in logs.
std::optional<Ratio> split_like(double price_ratio, double tolerance) {
  // Most days move far less than the smallest of them, 3:2.
  if (std::abs(std::log(price_ratio)) < std::log(1.5) - tolerance - 1e-9) return std::nullopt;
  for (const auto& ratio : ratios) {
    if (std::abs(std::log(price_ratio * ratio.value())) <= tolerance) return ratio;
  }
  return std::nullopt;
}

/// The median volume of up to ten rows, or nothing when there is none.
std::optional<double> usual_volume(const BarHistory& bars, std::size_t from, std::size_t to) {
  std::vector<double> volumes;
  for (std::size_t i = from; i < to; ++i) {
    const double volume = bars.of(PriceField::volume)[i];
    if (volume > 0) volumes.push_back(volume);
  }
  if (volumes.empty()) return std::nullopt;
  return median_of(std::move(volumes));
}

/// Whether the volume from a row on moved with the number of shares; nothing when there is no volume to tell by.
std::optional<bool> volume_confirms(const BarHistory& bars, std::size_t row, const Ratio& ratio) {
  if (!bars.has(PriceField::volume)) return std::nullopt;
  const auto before = usual_volume(bars, row - std::min<std::size_t>(row, 10), row);
  const auto after = usual_volume(bars, row, std::min(row + 10, bars.days.size()));
  if (!before || !after) return std::nullopt;
  const double half_way = std::sqrt(ratio.value());
  return ratio.value() > 1 ? *after / *before > half_way : *after / *before < half_way;
}

std::string price_text(double price) {
  return fine_text(price, 2);
}

/// A move like one between a unit and its hundredth or thousandth, as from crowns to their hundredths and back. Nothing
/// else comes near, so the day's own move may be twice that beside a split.
std::optional<int> unit_like(double price_ratio, double tolerance) {
  for (const int factor : {100, 1000}) {
    if (std::abs(std::abs(std::log(price_ratio)) - std::log(factor)) <= 2 * tolerance) return factor;
  }
  return std::nullopt;
}

bool is_weekend(Day day) {
  return std::chrono::weekday{day}.iso_encoding() > 5;
}

/// One look at one asset: what it has found, and the days that are explained.
class Look {
 public:
  Look(const BarHistory& bars, PriceField used, bool repaired, const FindingRules& rules)
      : bars_(bars.rows_with(used)), used_(used), repaired_(repaired), rules_(rules) {}

  std::vector<Finding> all() {
    spikes();
    units();
    splits();
    jumps();
    stale_runs();
    weekends();
    empty_months();
    volume();
    return std::move(found_);
  }

 private:
  const std::vector<double>& prices() const { return bars_.of(used_); }

  void add(Severity severity, std::optional<Day> day, const char* kind, std::string problem,
           std::vector<Remedy> remedies) {
    found_.push_back({severity, kind, {Where::of_asset(bars_.asset, day), std::move(problem), std::move(remedies)}});
  }

  void spikes() {
    if (bars_.days.empty()) return;
    const auto history = bars_.history(used_);
    std::set<Day> dropped;  // those that are likely enough to be dropped
    for (const auto& spike : find_spikes(history, rules_.spike_factor)) dropped.insert(spike.day);
    for (const auto& spike : find_spikes(history, rules_.doubtful_factor)) {
      const bool drops = dropped.contains(spike.day);
      add(drops && repaired_ ? Severity::note : Severity::warning, spike.day, "spike",
          fmt::format("{} between {} and {}: likely a misprint", price_text(spike.price), price_text(spike.before),
                      price_text(spike.after)),
          ways_out_of_spike(drops));
      const auto at = std::size_t(std::ranges::lower_bound(bars_.days, spike.day) - bars_.days.begin());
      explained_.insert({at, at + 1});
    }
  }

  std::vector<Remedy> ways_out_of_spike(bool drops) const {
    if (!drops) return {"Compare with another source, and correct the file"};
    if (repaired_) return {"Dropped, as asked; correct the file"};
    return {"Correct the file", {Means::misprints, "drop likely misprints"}};
  }

  void units() {
    for (std::size_t row = 1; row < bars_.days.size(); ++row) {
      if (explained_.contains(row)) continue;
      const auto factor = unit_like(prices()[row] / prices()[row - 1], rules_.split_tolerance);
      if (!factor) continue;
      explained_.insert(row);
      add(Severity::warning, bars_.days[row], "unit",
          fmt::format("the {} goes from {} to {}, like one in another unit, of which {} make one", to_string(used_),
                      price_text(prices()[row - 1]), price_text(prices()[row]), *factor),
          {"Bring the file to one unit", {Means::actions, "give the split, if it was one"}});
    }
  }

  void splits() {
    const bool both = bars_.has(PriceField::close) && bars_.has(PriceField::adjusted_close);
    for (std::size_t row = 1; row < bars_.days.size(); ++row) {
      if (explained_.contains(row)) continue;
      // Over weeks a price may well double; a split is overnight.
      if (!are_neighbours(bars_.days[row - 1], bars_.days[row])) continue;
      const double move = prices()[row] / prices()[row - 1];
      if (both) {
        const auto& close = bars_.of(PriceField::close);
        const auto& adjusted = bars_.of(PriceField::adjusted_close);
        const double gap = close[row] / close[row - 1] / (adjusted[row] / adjusted[row - 1]);
        if (const auto ratio = split_like(gap, 0.01)) {
          split_in_close(row, *ratio);
          continue;
        }
      }
      const auto ratio = split_like(move, rules_.split_tolerance);
      if (!ratio) continue;
      const auto confirmed = volume_confirms(bars_, row, *ratio);
      if (confirmed == false) continue;  // the shares are as many as before: a real move, and a jump
      explained_.insert(row);
      add(Severity::warning, bars_.days[row], "split",
          fmt::format("the {} goes from {} to {}, like a {} split{}", to_string(used_), price_text(prices()[row - 1]),
                      price_text(prices()[row]), ratio->text(),
                      confirmed ? ", and the volume moves with it" : "; there is no volume to tell by"),
          {{Means::actions, "Give the split"}, {Means::prices, "a source with adjusted closes"}});
    }
  }

  void split_in_close(std::size_t row, const Ratio& ratio) {
    const bool false_loss = used_ != PriceField::adjusted_close;
    if (false_loss) explained_.insert(row);
    add(false_loss ? Severity::warning : Severity::note, bars_.days[row], "split",
        fmt::format("a {} split: the close goes from {} to {}, the adjusted close doesn't", ratio.text(),
                    price_text(bars_.of(PriceField::close)[row - 1]), price_text(bars_.of(PriceField::close)[row])),
        {false_loss ? Remedy(Means::price_field, "A false return: use the adjusted close", "adjusted")
                    : Remedy("None: the adjusted close is used")});
  }

  void jumps() {
    std::vector<double> moves;
    for (std::size_t row = 1; row < bars_.days.size(); ++row) {
      moves.push_back(std::log(prices()[row] / prices()[row - 1]));
    }
    if (moves.size() < 20) return;  // too few to say what is usual
    const double middle = median_of(moves);
    auto distances = moves;
    for (double& distance : distances) distance = std::abs(distance - middle);
    const double spread = 1.4826 * median_of(distances);
    if (!(spread > 0)) return;  // mostly without any move: a stale run says so
    std::vector<std::pair<double, std::size_t>> far;
    for (std::size_t row = 1; row < bars_.days.size(); ++row) {
      const double score = std::abs(moves[row - 1] - middle) / spread;
      if (score >= rules_.jump_score && !explained_.contains(row)) far.emplace_back(score, row);
    }
    std::ranges::sort(far, std::greater{});
    for (std::size_t k = 0; k < std::min(far.size(), rules_.most_jumps); ++k) {
      const auto [score, row] = far[k];
      const bool others = k + 1 == rules_.most_jumps && far.size() > rules_.most_jumps;
      add(score >= 2 * rules_.jump_score ? Severity::warning : Severity::note, bars_.days[row], "jump",
          fmt::format("{} in a day, {:.0f} times the usual spread{}",
                      percent_text(prices()[row] / prices()[row - 1] - 1), score,
                      others ? fmt::format("; {} smaller ones", far.size() - rules_.most_jumps) : ""),
          {"Compare with another source"});
    }
  }

  void stale_runs() {
    std::size_t longest = 0, at = 0, runs = 0;
    for (std::size_t row = 0; row < bars_.days.size();) {
      std::size_t end = row + 1;
      while (end < bars_.days.size() && prices()[end] == prices()[row]) ++end;
      if (end - row >= rules_.stale_rows) {
        ++runs;
        if (end - row > longest) longest = end - row, at = row;
      }
      row = end;
    }
    if (runs == 0) return;
    add(Severity::warning, bars_.days[at], "stale",
        fmt::format("{} on {} trading days in a row, to {}{}", price_text(prices()[at]), longest,
                    to_string(bars_.days[at + longest - 1]), runs > 1 ? fmt::format("; {} such runs", runs) : ""),
        {"Stale prices hide risk: ask the source, or leave the days out of the file"});
  }

  /// Prices of each day of the calendar, where those of Saturdays and Sundays are Friday's.
  void weekends() {
    std::size_t weekends = 0, repeated = 0, weekdays = 0, still = 0, first = 0;
    for (std::size_t row = 1; row < bars_.days.size(); ++row) {
      const bool same = prices()[row] == prices()[row - 1];
      if (is_weekend(bars_.days[row])) {
        if (weekends++ == 0) first = row;
        repeated += same ? 1 : 0;
      } else {
        ++weekdays;
        still += same ? 1 : 0;
      }
    }
    if (weekends < 8 || 10 * repeated < 9 * weekends || 2 * still > weekdays) return;
    add(Severity::warning, bars_.days[first], "weekends",
        fmt::format("{} of {} prices of Saturdays and Sundays, the first here, are those of the day before: they look "
                    "filled in",
                    repeated, weekends),
        {"Leave those days out of the file: they count as trading days without a move, in daily figures, delays and "
         "windows of days"});
  }

  void empty_months() {
    const Interval month{1, Unit::month};
    long empty = 0, first = 0;
    for (std::size_t row = 1; row < bars_.days.size(); ++row) {
      const long before = month.period_of(bars_.days[row - 1]), gap = month.period_of(bars_.days[row]) - before - 1;
      if (gap > 0 && empty == 0) first = before + 1;
      empty += std::max(0L, gap);
    }
    if (empty == 0) return;
    add(Severity::note, month.period_end(first), "months",
        fmt::format("no price in {} month{} between its first and last one, the first of them ends here", empty,
                    empty == 1 ? "" : "s"),
        {{Means::interval, "Returns over them span several months; a longer interval may suit it better"}});
  }

  void volume() {
    if (!bars_.has(PriceField::volume)) return;
    std::size_t zeros = 0, first = 0, known = 0;
    for (std::size_t row = 0; row < bars_.days.size(); ++row) {
      const double volume = bars_.of(PriceField::volume)[row];
      if (std::isnan(volume)) continue;
      ++known;
      if (volume == 0 && zeros++ == 0) first = row;
    }
    if (zeros == 0) return;
    const bool never = zeros == known;
    add(Severity::note, bars_.days[first], "volume",
        never ? "the volume is 0 on every day" : fmt::format("no volume on {} days, the first here", zeros),
        {never ? "None for an index; else the source has no volumes" : "Prices of such days may be old"});
  }

  BarHistory bars_;
  PriceField used_;
  bool repaired_;
  const FindingRules& rules_;
  std::set<std::size_t> explained_;  // rows whose move has an explanation
  std::vector<Finding> found_;
};

}  // namespace

std::string to_string(Severity severity) {
  return severity == Severity::note ? "note" : "warning";
}

std::vector<Finding> findings_in(const BarHistory& bars, PriceField used, bool repaired, const FindingRules& rules) {
  bars.check();
  return Look(bars, used, repaired, rules).all();
}

std::vector<Finding> findings_across(const std::vector<PriceHistory>& histories,
                                     const std::vector<AssetCoverage>& coverage) {
  std::vector<Finding> found;
  if (histories.size() != coverage.size()) {
    throw InputError("findings", fmt::format("{} histories and the coverage of {}", histories.size(), coverage.size()),
                     "Give those of the same assets");
  }
  if (histories.empty()) return found;
  const auto brief = short_histories(histories);
  Day earliest = coverage.front().from, latest = coverage.front().to;
  for (const auto& c : coverage) {
    earliest = std::min(earliest, c.from);
    latest = std::max(latest, c.to);
  }
  for (std::size_t i = 0; i < histories.size(); ++i) {
    const auto& c = coverage[i];
    if (!c.holes.empty()) {
      found.push_back({Severity::note,
                       "holes",
                       {Where::of_asset(c.asset, c.holes.front()),
                        fmt::format("without a price on {}, the first here", counted(c.holes.size(), "day")),
                        {{Means::alignment, "Fill them", "carry:5"}, "leave the days out"}}});
    }
    if (std::ranges::find(brief, i) == brief.end()) continue;
    const bool late = c.from > earliest + std::chrono::days{31};
    found.push_back(
        {Severity::note,
         "short history",
         {Where::of_asset(c.asset, late ? c.from : c.to),
          late ? fmt::format("it begins {:.1f} years after the first of the others", years_between(earliest, c.from))
               : fmt::format("it ends {:.1f} years before the last of the others", years_between(c.to, latest)),
          {{Means::short_histories, "Leave it out, or keep it"}}}});
  }
  return found;
}

}  // namespace inchtide

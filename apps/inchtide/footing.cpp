#include "footing.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/prices/periods.hpp"

namespace inchtide::app {
namespace {

constexpr std::size_t enough_returns = 24;
constexpr std::chrono::days slack{31};  // a window that is shorter by less is not worth a word

// The universe's histories, cut to the window.
std::vector<PriceHistory> in_window(const Study& study) {
  std::vector<PriceHistory> cut;
  for (const auto& history : study.histories) {
    if (study.benchmark == history.asset) continue;
    auto part = history;
    const std::vector<Day>& all = history.days;
    const auto& table = study.prices.days;
    const auto begin = std::ranges::lower_bound(all, table.front()) - all.begin();
    const auto end = std::ranges::upper_bound(all, table.back()) - all.begin();
    if (begin >= end) continue;
    part.days = DayList(std::vector<Day>(all.begin() + begin, all.begin() + end));
    part.prices = {history.prices.begin() + begin, history.prices.begin() + end};
    cut.push_back(std::move(part));
  }
  return cut;
}

// The field as it came that an asset's price is made from.
PriceField field_used(const Study& study, const BarHistory& bars) {
  return study.mandate.fields.pick(bars.asset, bars.fields_held());
}

}  // namespace

void settle_interval(Study& study) {
  const auto histories = in_window(study);
  const auto policy = study.mandate.align.value_or(AlignPolicy{});
  if (study.mandate.every) {
    check_interval(histories, *study.mandate.every, policy);
    return;
  }
  const Interval usual{1, Unit::month};
  const auto fits = interval_that_fits(histories, usual);
  if (fits && *fits != usual) {
    const auto ends = period_ends(study.prices, *fits, study.mandate.keep_last_period);
    if (ends.table.rows() > enough_returns) {
      study.mandate.every = fits;
      study.warnings.push_back(
          fmt::format("Returns are {}, not monthly: not every history has prices in half of its "
                      "months (--every chooses)",
                      fits->adjective()));
      return;
    }
  }
  check_interval(histories, usual, policy);
}

Day window_start(const PriceTable& table, const Interval& span, const Interval& every, bool keep_last_period) {
  const Day last = table.days.back();
  const Day anniversary = span.before(last);
  const auto last_on_or_before = [&](Day day) {
    const auto after = std::ranges::upper_bound(table.days, day);
    return after == table.days.begin() ? table.days.front() : *std::prev(after);
  };
  if (span.unit() == Unit::day) return anniversary;
  if (every.unit() == Unit::day || every.unit() == Unit::week) return last_on_or_before(anniversary);
  // So many periods before the one that ends the window.
  const auto ends = period_ends(table, every, keep_last_period);
  if (ends.table.rows() == 0) return last_on_or_before(anniversary);
  const double periods = every.periods_per_year() / span.periods_per_year();
  if (std::abs(periods - std::round(periods)) > 1e-9) return last_on_or_before(anniversary);
  const long base = every.period_of(ends.table.days.back()) - std::lround(periods);
  return last_on_or_before(every.period_end(base));
}

std::string line_on_the_window(const Study& study) {
  if (study.short_histories != ShortHistories::shorten) return "";
  std::vector<const PriceHistory*> all;
  for (const auto& history : study.histories) {
    if (study.benchmark != history.asset) all.push_back(&history);
  }
  if (all.size() < 2) return "";
  // From the earliest first price to the latest last one, within what was asked for.
  const auto bounded = [&](const PriceHistory& history) {
    return std::pair{std::max(history.days.front(), study.mandate.from.value_or(history.days.front())),
                     std::min(history.days.back(), study.mandate.to.value_or(history.days.back()))};
  };
  Day first = bounded(*all[0]).first, last = bounded(*all[0]).second;
  for (const auto* history : all) {
    first = std::min(first, bounded(*history).first);
    last = std::max(last, bounded(*history).second);
  }
  struct Cut {
    std::chrono::days lost;
    std::string asset, how;
  };
  std::vector<Cut> cuts;
  for (const auto* history : all) {
    const auto [from, to] = bounded(*history);
    const auto late = from - first, early = last - to;
    if (std::max(late, early) <= slack) continue;
    cuts.push_back({late + early, history->asset,
                    late > early ? "begins on " + to_string(history->days.front())
                                 : "ends on " + to_string(history->days.back())});
  }
  if (cuts.empty()) return "";
  std::ranges::stable_sort(cuts, [](const Cut& a, const Cut& b) { return a.lost > b.lost; });
  const auto& worst = cuts.front();
  auto line = fmt::format("{} {}: {:.1f} of {:.1f} years are not used", worst.asset, worst.how,
                          double(worst.lost.count()) / 365.25, years_between(first, last));
  if (cuts.size() > 1) line += fmt::format(" for it alone, and {} more shorten the window", cuts.size() - 1);
  return line + "; --short-histories leave-out keeps them";
}

std::vector<Finding> findings_of(const Study& study) {
  std::vector<Finding> findings;
  for (const auto& bars : study.bars) {
    const auto own = findings_in(bars, field_used(study, bars), study.mandate.drop_misprints);
    const auto adjusted =
        std::ranges::find_if(study.adjusted, [&](const Adjusted& a) { return a.history.asset == bars.asset; });
    for (auto finding : own) {
      const bool worked_in = finding.kind == "split" && adjusted != study.adjusted.end() &&
                             std::ranges::find(adjusted->splits, *finding.notice.where.day) != adjusted->splits.end();
      if (worked_in) {
        finding.severity = Severity::note;
        finding.notice.remedies = {"None: the actions have it, and it is worked in"};
      }
      findings.push_back(std::move(finding));
    }
  }
  const auto across = findings_across(study.histories, study.aligned.coverage);
  findings.insert(findings.end(), across.begin(), across.end());
  return findings;
}

std::string line_on_findings(const Study& study) {
  const auto findings = findings_of(study);
  const auto warnings = std::ranges::count(findings, Severity::warning, &Finding::severity);
  if (warnings == 0) return "";
  const auto first = std::ranges::find(findings, Severity::warning, &Finding::severity);
  const auto& place = first->notice.where;
  const auto which = fmt::format("{}{}: {}", place.asset, place.day ? " on " + to_string(*place.day) : "", first->kind);
  if (study.options.strict) {
    throw InputError("prices",
                     fmt::format("{} finding{} warnings ({}), and --strict was asked for", warnings,
                                 warnings == 1 ? " is a" : "s are", which),
                     "inchtide inspect shows them, each with what to do");
  }
  return fmt::format("The prices have {} warning{} ({}{}); inchtide inspect shows {}", warnings,
                     warnings == 1 ? "" : "s", which, warnings == 1 ? "" : ", ...", warnings == 1 ? "it" : "them");
}

}  // namespace inchtide::app

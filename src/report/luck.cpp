#include "luck.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <numeric>

#include "inchtide/base/percent.hpp"
#include "inchtide/base/text.hpp"

namespace inchtide::report {
namespace {

/// Below it what the best has is usually taken to be more than luck.
constexpr double usual_bound = 0.05;

double per_year(const StudyLuck& luck, double ratio) {
  return ratio * std::sqrt(luck.rows_per_year);
}

/// "38 of 100".
std::string of_hundred(double p_value) {
  return p_value < 0.005 ? "fewer than 1 of 100" : fmt::format("{:.0f} of 100", 100 * p_value);
}

const Rehearsal& run_of(const StudyLuck& luck, const std::vector<Rehearsal>& runs, std::size_t judged) {
  return runs[luck.of_all(judged)];
}

std::string tries_text(const Luck& judged) {
  const double besides = judged.tries - double(judged.distinct);
  const auto all = with_thousands(judged.tries);
  if (besides == 0) return fmt::format("{} tries", all);
  return fmt::format("{} tries ({} of them rehearsed here)", all, judged.distinct);
}

/// What stands out, and how often luck alone does as much; the second is empty where nothing stands out.
std::pair<std::string, std::string> verdict_of(const StudyLuck& luck, const std::vector<Rehearsal>& runs) {
  const auto& judged = luck.judged;
  const auto& baseline = luck.names[luck.baseline];
  if (!judged.best) {
    const bool all_same = std::ranges::all_of(judged.runs, [](const TriedRun& r) { return r.beside == Beside::same; });
    return {all_same ? fmt::format("All runs are the same as {}", baseline)
                     : fmt::format("No run differs from {} on enough days to tell luck from more", baseline),
            ""};
  }
  const auto& best = judged.runs[*judged.best];
  if (best.difference <= 0) {
    return {fmt::format("Of {} none has a higher Sharpe ratio than {}", tries_text(judged), baseline), ""};
  }
  const auto& run = run_of(luck, runs, *judged.best);
  const double points = 100 * (run.growth_per_year - runs[luck.baseline].growth_per_year);
  return {
      fmt::format("Of {} {} stands out most from {}: a Sharpe ratio {:.2f} higher, give or take {:.2f}, and {:.2f} "
                  "points a year {} growth",
                  tries_text(judged), run.name, baseline, per_year(luck, best.difference), per_year(luck, best.error),
                  std::abs(points), points < 0 ? "less" : "more"),
      fmt::format("Luck alone lets the best of those rehearsed stand out as far in {}", of_hundred(judged.p_value))};
}

std::string days_text(double block) {
  return block == 1 ? "single days" : fmt::format("blocks of {:.3g} days", block);
}

/// At half and at double the blocks, and whether one would say something else there.
std::string other_blocks(const Luck& judged) {
  bool turns = false;
  std::string text = "Drawn in " + days_text(judged.block);
  for (const auto& other : judged.others) {
    if (other.block == judged.block) continue;  // there is no half of a day
    turns = turns || (other.p_value < usual_bound) != (judged.p_value < usual_bound);
    text += fmt::format("; in {}: {}", days_text(other.block), of_hundred(other.p_value));
  }
  if (turns)
    text += fmt::format(". That is on both sides of {}: what one says hangs on the blocks", of_hundred(usual_bound));
  return text;
}

/// Which are listed: all, or those furthest above the baseline.
std::vector<std::size_t> shown_runs(const Luck& judged, std::size_t most) {
  std::vector<std::size_t> shown(judged.runs.size());
  std::iota(shown.begin(), shown.end(), std::size_t(0));
  if (most == 0 || most >= shown.size()) return shown;
  std::ranges::stable_sort(shown, std::ranges::greater(), [&](std::size_t k) {
    const auto& one = judged.runs[k];
    return one.beside == Beside::tested ? one.difference / one.error : 0.0;
  });
  shown.resize(most);
  return shown;
}

std::string deflated_text(const Luck& judged) {
  const auto &all = *judged.deflated, &apart = *judged.deflated_correlated;
  return fmt::format(
      "Second opinion: the highest Sharpe ratio is above what the highest of {:.3g} without any edge would be with a "
      "probability of {}, or {} for {:.3g}, by what the runs have in common",
      all.tries, percent_text(all.probability), percent_text(apart.probability), apart.tries);
}

}  // namespace

Table luck_table(const StudyLuck& luck, const std::vector<Rehearsal>& runs, std::size_t most) {
  const auto& judged = luck.judged;
  const bool by_schedule = std::ranges::any_of(runs, [](const Rehearsal& run) { return !run.schedule.empty(); });
  Table table{"luck",
              "What was luck, beside " + luck.names[luck.baseline],
              {{by_schedule ? "Portfolio" : "Run"},
               {"Growth per year, more", Format::percent},
               {"Sharpe, more", Format::number2},
               {"give or take", Format::number2},
               {"Luck alone"}},
              {},
              {}};
  if (by_schedule) table.columns.insert(table.columns.begin() + 1, {"Schedule"});
  for (const auto k : shown_runs(judged, most)) {
    const auto& one = judged.runs[k];
    const auto& run = run_of(luck, runs, k);
    const auto told = one.beside == Beside::same      ? std::string("the same")
                      : one.beside == Beside::too_few ? std::string("too few days to tell")
                                                      : of_hundred(one.p_value);
    const bool same = one.beside == Beside::same;
    std::vector<Cell> row{run.aim};
    if (by_schedule) row.emplace_back(run.schedule);
    row.emplace_back(run.growth_per_year - runs[luck.baseline].growth_per_year);
    row.push_back(same ? Cell() : Cell(per_year(luck, one.difference)));
    row.push_back(same ? Cell() : Cell(per_year(luck, one.error)));
    row.emplace_back(told);
    table.add(std::move(row));
  }
  const auto [found, how_often] = verdict_of(luck, runs);
  table.notes.emplace_back(found);
  if (table.rows.size() < judged.runs.size()) {
    table.notes.emplace_back(
        fmt::format("These are the {} of {} that stand out most", table.rows.size(), judged.runs.size()));
  }
  if (!judged.best) return table;
  if (!how_often.empty()) table.notes.emplace_back(how_often);
  table.notes.emplace_back(
      "Luck alone: how often draws from the same days, with every edge taken out, put this run or a better one as far "
      "above the baseline, all runs counted");
  table.notes.emplace_back(other_blocks(judged));
  table.notes.emplace_back(
      fmt::format("With runs that are far behind not counted in: {}", of_hundred(judged.p_value_recentred)));
  if (judged.deflated) table.notes.emplace_back(deflated_text(judged));
  return table;
}

Table timing_table(const std::vector<TimingLuck>& timing) {
  Table table{"timing",
              "What the choice of the day alone does",
              {{"Portfolio"},
               {"Schedule"},
               {"Every so many days", Format::count},
               {"Beginnings", Format::count},
               {"Lowest growth per year", Format::percent},
               {"Highest", Format::percent},
               {"Apart", Format::percent}},
              {},
              {}};
  for (const auto& one : timing) {
    table.add({one.aim, one.schedule, double(one.rows), double(one.starts), one.lowest, one.highest,
               one.highest - one.lowest});
  }
  table.notes.emplace_back(
      "The same weights and costs with the same number of trading days between looks, begun on other days: differences "
      "between schedules that are no larger than this say nothing");
  return table;
}

Json luck_json(const StudyLuck& luck, const std::vector<Rehearsal>& runs) {
  const auto& judged = luck.judged;
  auto p_values = Json::object(), differences = Json::object(), timing = Json::array();
  for (std::size_t k = 0; k < judged.runs.size(); ++k) {
    const auto& one = judged.runs[k];
    const auto& name = luck.names[luck.of_all(k)];
    const bool tested = one.beside == Beside::tested;
    p_values[name] = tested ? Json(one.p_value) : Json();
    differences[name] = {{"sharpe", per_year(luck, one.difference)}, {"error", per_year(luck, one.error)}};
    if (!tested) differences[name]["untested"] = one.beside == Beside::same ? "same" : "too_few_days";
  }
  for (const auto& one : luck.timing) {
    timing.push_back({{"aim", one.aim},
                      {"schedule", one.schedule},
                      {"rows", one.rows},
                      {"starts", one.starts},
                      {"lowest", one.lowest},
                      {"highest", one.highest}});
  }
  auto blocks = Json::array();
  for (const auto& other : judged.others) blocks.push_back({{"block", other.block}, {"p_value", other.p_value}});
  const auto [found, how_often] = verdict_of(luck, runs);
  Json json{{"verdict", how_often.empty() ? found : found + ". " + how_often},
            {"baseline", luck.names[luck.baseline]},
            {"tries", judged.tries},
            {"distinct", judged.distinct},
            {"best", judged.best ? Json(luck.names[luck.of_all(*judged.best)]) : Json()},
            {"p_value", judged.best ? Json(judged.p_value) : Json()},
            {"p_value_recentred", judged.best ? Json(judged.p_value_recentred) : Json()},
            {"p_values", p_values},
            {"differences", differences},
            {"block", judged.block},
            {"blocks", blocks},
            {"timing", timing}};
  if (judged.deflated) {
    const auto deflated = [&](const DeflatedSharpe& one) {
      return Json{
          {"tries", one.tries}, {"expected_best", per_year(luck, one.expected_best)}, {"probability", one.probability}};
    };
    json["deflated"] = deflated(*judged.deflated);
    json["deflated_correlated"] = deflated(*judged.deflated_correlated);
  }
  return json;
}

}  // namespace inchtide::report

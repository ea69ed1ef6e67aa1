#include "inchtide/study/runs.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <exception>
#include <map>
#include <set>
#include <string>
#include <vector>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/base/text.hpp"
#include "study/choosing_anew.hpp"
#include "study/one_run.hpp"
#include "study/walk_setup.hpp"

namespace inchtide {
namespace {

/// Weights that sum to more than 1 by no more than this borrow nothing.
constexpr double rounding_of_budget = 1e-9;

/// Cash below zero may cost nothing, and then pays too much.
void warn_of_borrowing(const Portfolios& portfolios, double rate, std::vector<Notice>& warnings) {
  for (const auto& allocation : portfolios.all) {
    const double borrowed = allocation.weights.sum() - 1;
    if (borrowed <= rounding_of_budget || rate > 0) continue;
    warnings.push_back(
        fmt::format("{} borrows {} of wealth, for nothing in this walk: it earns too much by what that would cost",
                    allocation.name, percent_text(borrowed)));
  }
}

/// Makes the runs of a study.
class Rehearsing {
 public:
  Rehearsing(const Universe& universe, const Basis& basis, const Portfolios& portfolios, const Sources& sources,
             const Settings& settings, const Watch& watch)
      : universe_(universe),
        basis_(basis),
        portfolios_(portfolios),
        sources_(sources),
        settings_(settings),
        setup_(universe, basis, sources, settings, runs_.warnings) {
    setup_.how.watch = watch;
    setup_.how.keep_weights = true;
  }

  Runs make() {
    for (const auto& allocation : portfolios_.all) {
      for (const auto& schedule : setup_.schedules) {
        if (OneRun::is_possible(allocation, schedule)) {
          add(allocation, schedule);
        } else {
          runs_.warnings.push_back(fmt::format("{} has no return to weigh against costs, so {} is not run for it",
                                               allocation.name, schedule.name));
        }
      }
    }
    if (runs_.all.empty()) throw_none();
    warn_of_no_orders();
    add_equal();
    add_benchmark();
    warn_of_borrowing(portfolios_, settings_.overdraft_rate.value_or(basis_.risk_free), runs_.warnings);
    warn_of_failures();
    warn_of_older_targets();
    warn_of_suspended();
    warn_of_not_estimated();
    warn_of_widened();
    for (const auto& aim : portfolios_.unanswered) {
      runs_.warnings.push_back(aim.notice.led_by(aim.name + " has no portfolio and is not rehearsed"));
    }
    if (settings_.costs.empty()) {
      runs_.warnings.push_back(
          {{}, "No trading costs were given: these runs trade for free", {{Means::costs, "Give some", "10bp"}}});
    }
    return std::move(runs_);
  }

 private:
  [[noreturn]] void throw_none() const {
    if (first_) std::rethrow_exception(first_);
    if (portfolios_.all.empty())
      throw InputError("rehearsal", "there is no portfolio", {Means::aim, "Choose one", "equal"});
    std::vector<std::string> names;
    for (const auto& allocation : portfolios_.all) names.push_back(allocation.name);
    throw InputError("rehearsal",
                     fmt::format("every schedule weighs what a trade costs against the return it brings, and no return "
                                 "is behind {}",
                                 fmt::join(names, ", ")),
                     {"Give another schedule too, such as 1q", {Means::aim, "an aim that has one", "utility=4"}});
  }

  /// Once a reason.
  void warn_of_failures() {
    std::vector<std::string> told;
    for (const auto& failed : runs_.failed) {
      const auto why = failed.why.text();
      if (std::ranges::find(told, why) != told.end()) continue;
      told.push_back(why);
      const auto same = std::ranges::count_if(runs_.failed, [&](const FailedRun& f) { return f.why.text() == why; });
      const auto more = same > 1 ? fmt::format(" and {} more", same - 1) : std::string();
      runs_.warnings.push_back(failed.why.led_by(failed.name + more + " could not be rehearsed"));
    }
  }

  /// Who begins in cash and buys nothing has no rehearsal of weights.
  void warn_of_no_orders() {
    if (settings_.start_from_current) return;
    std::vector<std::string> names;
    for (const auto& run : runs_.all) {
      if (run.order_count == 0) names.push_back(run.name);
    }
    if (names.empty()) return;
    runs_.warnings.emplace_back(fmt::format("{}", fmt::join(names, "; ")),
                                "no order was made, so all wealth stayed in cash",
                                std::vector<Remedy>{"Allow smaller orders, or give more wealth than lots ask for"});
  }

  /// Targets that a re-estimation without an answer left as they were, once a reason.
  void warn_of_older_targets() {
    struct Told {
      std::string run, why;
      Day first;
      std::size_t times = 0, others = 0;
    };
    std::vector<Told> all;
    for (const auto& run : runs_.all) {
      std::set<std::string> of_run;
      for (const auto& event : run.log) {
        if (event.kind != Event::Kind::failure) continue;
        auto told = std::ranges::find(all, event.words, &Told::why);
        if (told == all.end()) told = all.insert(all.end(), {run.name, event.words, event.day});
        if (told->run == run.name) {
          ++told->times;
        } else if (of_run.insert(event.words).second) {
          ++told->others;
        }
      }
    }
    for (const auto& [name, why, first, times, others] : all) {
      runs_.warnings.push_back(
          fmt::format("{}{} kept older targets, as an estimate had no answer on {}{}: {}", name,
                      others > 0 ? fmt::format(" and {} more", others) : "", to_string(first),
                      times > 1 ? fmt::format(" and {} more day{}", times - 1, times > 2 ? "s" : "") : "", why));
    }
  }

  /// What trades went round: a run that does not look again has none of it for good.
  void warn_of_suspended() {
    struct Told {
      std::set<Day> days;
      std::vector<std::string> runs;
    };
    std::map<std::string, Told> all;
    for (const auto& run : runs_.all) {
      for (const auto& event : run.log) {
        if (event.kind != Event::Kind::suspension) continue;
        auto& told = all[event.asset];
        told.days.insert(event.day);
        if (told.runs.empty() || told.runs.back() != run.name) told.runs.push_back(run.name);
      }
    }
    for (const auto& [asset, told] : all) {
      const auto days = told.days.size(), runs = told.runs.size();
      runs_.warnings.emplace_back(
          Where::of_asset(asset),
          fmt::format("closed for more than {} when trades were due on {}{}, which went round it: {}{} stayed off its "
                      "target",
                      counted(std::size_t(settings_.holiday_rows), "day"), to_string(*told.days.begin()),
                      days > 1 ? fmt::format(" and {} more", counted(days - 1, "day")) : "", told.runs.front(),
                      runs > 1 ? fmt::format(" and {} more", counted(runs - 1, "run")) : ""));
    }
  }

  void warn_of_not_estimated() {
    for (const auto& [asset, days] : without_) {
      const auto from = to_string(*days.begin());
      runs_.warnings.push_back(
          days.size() == 1
              ? fmt::format("{} hasn't prices all through the window of the estimate on {}, which chooses none of it",
                            asset, from)
              : fmt::format(
                    "{} hasn't prices all through the windows of {} estimates, from {} to {}, which choose none of it",
                    asset, days.size(), from, to_string(*days.rbegin())));
    }
  }

  void warn_of_widened() {
    for (const auto& [limit, days] : widened_) {
      const auto from = to_string(*days.begin());
      runs_.warnings.push_back(fmt::format(
          "What was suspended left no room for '{}' {}: it was as wide as that made it", limit,
          days.size() == 1 ? "on " + from
                           : fmt::format("on {} days, from {} to {}", days.size(), from, to_string(*days.rbegin()))));
    }
  }

  void add(const Allocation& allocation, const Schedule& schedule) {
    std::vector<Promise> promises;
    attempt(OneRun::name_of(allocation, schedule), [&] {
      OneRun one(universe_, basis_, sources_, settings_, setup_);
      runs_.all.push_back(one.make(allocation, schedule, setup_.plan.terms, setup_.how, promises));
      for (const auto& [asset, days] : one.without()) without_[asset].insert(days.begin(), days.end());
      for (const auto& [limit, days] : one.widened()) widened_[limit].insert(days.begin(), days.end());
      keep(promises);
    });
  }

  template <typename Make>
  void attempt(const std::string& name, Make make) {
    try {
      make();
    } catch (const Interrupted&) {
      throw;
    } catch (const Error& error) {
      runs_.failed.push_back({name, reason_beside(name, error.notice())});
      if (!first_) first_ = std::current_exception();
    }
  }

  /// The plainest portfolio stands beside the others: the same in each asset that has a price by when it begins.
  void add_equal() {
    const auto schedule =
        std::ranges::find_if(setup_.schedules, [](const Schedule& s) { return s.to != Schedule::To::after_costs; });
    const bool has_it = std::ranges::any_of(
        portfolios_.all, [](const Allocation& a) { return a.aim && a.aim->kind == Aim::Kind::equal; });
    if (has_it || schedule == setup_.schedules.end()) return;
    const auto known = setup_.table.prices.topRows(Eigen::Index(setup_.how.first_row) + 1);
    auto plan = setup_.plan;
    plan.weights =
        known.array().isNaN().colwise().all().select(0.0, Eigen::RowVectorXd::Ones(known.cols())).matrix().transpose();
    plan.weights /= plan.weights.sum();
    plan.schedule = *schedule;
    plan.aim = Aim{Aim::Kind::equal, 0}.text();
    plan.name = fmt::format("{}, {}", plan.aim, plan.schedule.name);
    attempt(plan.name, [&] {
      runs_.all.push_back(rehearse(setup_.table, plan, setup_.how));
      runs_.all.back().schedule = plan.schedule.name;
    });
  }

  void add_benchmark() {
    if (!universe_.benchmark) return;
    RehearsalPlan plan{*universe_.benchmark, fmt::format("{} (no costs)", *universe_.benchmark),
                       Eigen::VectorXd::Ones(1)};
    RehearsalOptions how{setup_.how.wealth, settings_.delay, basis_.risk_free, setup_.how.watch};
    how.flows = setup_.how.flows;
    attempt(plan.name, [&] {
      const auto benchmark = rehearse(setup_.walk.only({*universe_.benchmark}), plan, how);
      runs_.all.push_back(benchmark);
      for (const auto& run : runs_.all) runs_.against.push_back(against(run, benchmark, settings_.delay));
    });
  }

  /// What the days between its estimates brought, of the last run.
  void keep(std::vector<Promise>& promises) {
    const auto& run = runs_.all.back();
    PromiseKept kept{run.name, promises.size()};
    double squares = 0, promised = 0;
    std::vector<double> differences;
    for (std::size_t k = 0; k < promises.size(); ++k) {
      auto& promise = promises[k];
      const bool whole = promises.size() == 1;
      const auto row_of = [&](Day day) {
        return std::size_t(std::ranges::lower_bound(run.days, day) - run.days.begin());
      };
      const auto delay = std::size_t(settings_.delay);
      const auto from = (whole ? 0 : row_of(promise.from)) + delay;
      const auto end = k + 1 < promises.size() ? row_of(promises[k + 1].from) + delay : run.days.size();
      const auto to = std::min(end, run.days.size() - 1);
      if (to < from + 2) continue;
      const auto brought = delivered(run, from, to, basis_.risk_free);
      promise.from = run.days[from];
      promise.to = run.days[to];
      promise.delivered_return = brought.mean;
      promise.delivered_volatility = brought.volatility;
      promise.delivered_sharpe = brought.sharpe;
      squares += brought.squares;
      promised += double(to - from) * promise.volatility * promise.volatility / run.rows_per_year;
      differences.push_back(brought.mean - promise.expected_return);
      runs_.promised.push_back(promise);
    }
    if (differences.empty()) return;
    kept.estimates = differences.size();
    if (promised > 0) kept.volatility_ratio = std::sqrt(squares / promised);
    const Eigen::Map<const Eigen::ArrayXd> all(differences.data(), Eigen::Index(differences.size()));
    kept.mean_difference = all.mean();
    const double count = double(differences.size());
    if (count > 1) kept.difference_error = std::sqrt((all - all.mean()).square().sum() / (count - 1) / count);
    runs_.kept.push_back(kept);
  }

  const Universe& universe_;
  const Basis& basis_;
  const Portfolios& portfolios_;
  const Sources& sources_;
  const Settings& settings_;
  Runs runs_;
  WalkSetup setup_;
  std::exception_ptr first_;
  std::map<std::string, std::set<Day>> without_;  // by no part in the estimates of these days
  std::map<std::string, std::set<Day>> widened_;  // texts of limits
};

}  // namespace

Runs runs_of(const Universe& universe, const Basis& basis, const Portfolios& portfolios, const Sources& sources,
             const Settings& settings, const Watch& watch) {
  return Rehearsing(universe, basis, portfolios, sources, settings, watch).make();
}

}  // namespace inchtide

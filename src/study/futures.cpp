#include "inchtide/study/futures.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/executor.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/rehearsal/luck.hpp"
#include "study/long_blocks.hpp"
#include "study/one_run.hpp"

namespace inchtide {
namespace {

/// Days of a fan, about.
constexpr std::size_t fan_rows = 100;

/// What is drawn: relatives of all assets, the benchmark's last where there is one.
struct Drawn {
  PriceTable walk;  // its calendar and first prices
  Eigen::MatrixXd relatives;
};

/// Figures of every history: a row a history.
struct FutureFigures {
  explicit FutureFigures(Eigen::Index histories, Eigen::Index days)
      : growth(histories), drawdown(histories), cost(histories), end(histories), wealth(histories, days) {}

  Eigen::VectorXd growth, drawdown, cost, end;
  Eigen::MatrixXd wealth;
};

class FutureDrawing {
 public:
  FutureDrawing(const Universe& universe, const Basis& basis, const Portfolios& portfolios, const Sources& sources,
                const Settings& settings, const FutureOptions& options)
      : universe_(universe),
        basis_(basis),
        portfolios_(portfolios),
        sources_(sources),
        settings_(settings),
        options_(options),
        setup_(universe, basis, sources, settings, told_) {
    check();
    setup_.how.watch = {};
    setup_.plan.terms.keep_orders = false;
    setup_.how.track_targets = false;
    take_days();
  }

  Futures make() {
    for (const auto& allocation : portfolios_.all) {
      for (const auto& schedule : setup_.schedules) {
        if (!OneRun::is_possible(allocation, schedule)) continue;
        pairs_.push_back({&allocation, &schedule});
        result_.runs.push_back({OneRun::name_of(allocation, schedule), schedule.name, allocation.name});
      }
    }
    const auto histories = Eigen::Index(settings_.futures);
    std::vector<FutureFigures> figures(pairs_.size(), FutureFigures(histories, Eigen::Index(fan_.size())));
    const Executor executor(options_.threads);
    const auto failures = executor.collect(
        std::size_t(histories), [&](std::size_t draw) { return one_history(draw, figures); }, options_.watch);
    for (std::size_t k = pairs_.size(); k-- > 0;) keep(k, figures[k], failures);
    if (result_.runs.empty()) throw InputError(result_.failed.front().why);
    result_.baseline = baseline();
    return std::move(result_);
  }

 private:
  struct Pair {
    const Allocation* allocation;
    const Schedule* schedule;
  };
  using Failures = std::vector<std::pair<std::size_t, Notice>>;  // by run

  void check() const {
    if (settings_.futures < 1) throw InputError("futures", "no histories are to be drawn", "Draw at least 1");
    if (!setup_.how.actions.empty()) {
      throw InputError("futures", "splits and dividends of raw closes cannot be drawn",
                       {{Means::price_field, "Use adjusted closes", "adjusted"}, {Means::actions, "leave them out"}});
    }
    if (setup_.how.traded_value.size() > 0) {
      throw InputError("futures", "impact hangs on what is traded a day, which cannot be drawn",
                       {{Means::costs, "Leave the impact out"}});
    }
  }

  /// The relatives of all days in the study's window on which all have prices of their own.
  void take_days() {
    auto codes = universe_.assets;
    if (universe_.benchmark) codes.push_back(*universe_.benchmark);
    known_ = priced_days(universe_, settings_).between(universe_.prices.days.front(), std::nullopt).only(codes);
    drawn_.walk = setup_.walk.only(codes);
    begin_at_last_prices();
    auto days = day_relatives(known_.prices);
    drawn_.relatives = std::move(days.relatives);
    result_.histories = std::size_t(settings_.futures);
    result_.rows = days.rows.size();
    result_.cut = days.rows.back() - days.rows.front() + 1 - result_.rows;
    result_.from = known_.days[days.rows.front()];
    result_.to = known_.days[days.rows.back()];
    result_.seed = options_.seed;
    result_.block = options_.block > 0 ? options_.block : block_by_returns();
    if (!(result_.block >= 1)) {
      throw InputError("futures", fmt::format("blocks of {} rows", options_.block), "Give at least 1");
    }
    if (auto notice = notice_of_long_blocks(result_.block, result_.rows, "days")) throw InputError(std::move(*notice));
    const auto rows = drawn_.walk.rows(), step = std::max<std::size_t>(1, (rows - 1) / fan_rows);
    for (std::size_t t = 0; t + 1 < rows; t += step) fan_.push_back(t);
    fan_.push_back(rows - 1);
    for (const auto row : fan_) result_.fan_days.push_back(drawn_.walk.days[row]);
  }

  /// Of assets that are closed on the walk's first day: drawn ones go on from there.
  void begin_at_last_prices() {
    const auto& known = setup_.table.prices;
    for (Eigen::Index i = 0; i < known.cols(); ++i) {
      for (auto t = Eigen::Index(setup_.how.first_row); t-- > 0 && std::isnan(drawn_.walk.prices(0, i));) {
        drawn_.walk.prices(0, i) = known(t, i);
      }
    }
    setup_.how.first_row = 0;
  }

  /// The longest that any asset's returns ask for.
  [[nodiscard]] double block_by_returns() const {
    double block = 1;
    for (Eigen::Index i = 0; i < drawn_.relatives.cols(); ++i) {
      block = std::max(block, usual_block(drawn_.relatives.col(i).array() - 1));
    }
    return block;
  }

  Failures one_history(std::size_t draw, std::vector<FutureFigures>& figures) const {
    const auto history = drawn_history(drawn_.walk, drawn_.relatives, result_.block, options_.seed, draw);
    auto setup = setup_;
    setup.table = history.only(universe_.assets);
    const auto known = settings_.reestimate ? known_then(history) : std::optional<Universe>();
    Failures failures;
    for (std::size_t k = 0; k < pairs_.size(); ++k) {
      if (options_.watch.stop && options_.watch.stop()) throw Interrupted("futures", "stopped");
      try {
        std::vector<Promise> promises;
        const auto run = OneRun(known ? *known : universe_, basis_, sources_, settings_, setup)
                             .make(*pairs_[k].allocation, *pairs_[k].schedule, setup.plan.terms, setup.how, promises);
        take(figures[k], Eigen::Index(draw), run);
      } catch (const Interrupted&) {
        throw;
      } catch (const Error& error) {
        failures.emplace_back(k, error.notice());
      }
    }
    return failures;
  }

  /// The universe with what happened before the first row and what is drawn after it.
  [[nodiscard]] Universe known_then(const PriceTable& history) const {
    auto universe = universe_;
    for (auto& one : universe.histories) {
      const auto column = known_.column_of(one.asset), drawn = history.column_of(one.asset);
      std::vector<Day> days;
      one.prices.clear();
      const auto add = [&](Day day, double price) {
        if (std::isnan(price)) return;
        days.push_back(day);
        one.prices.push_back(price);
      };
      for (std::size_t t = 0; t < known_.rows() && known_.days[t] < history.days.front(); ++t) {
        add(known_.days[t], known_.prices(Eigen::Index(t), column));
      }
      for (std::size_t t = 0; t < history.rows(); ++t) add(history.days[t], history.prices(Eigen::Index(t), drawn));
      one.days = DayList(std::move(days));
    }
    auto policy = settings_.align;
    policy.keep_short_histories = universe.short_histories == ShortHistories::keep;
    universe.aligned = align(universe.histories, policy, universe.benchmark ? 1 : 0);
    return universe;
  }

  void take(FutureFigures& figures, Eigen::Index draw, const Rehearsal& run) const {
    figures.growth[draw] = run.growth_per_year;
    figures.drawdown[draw] = run.max_drawdown;
    figures.cost[draw] = run.cost_per_year;
    figures.end[draw] = run.net[run.net.size() - 1];
    for (std::size_t k = 0; k < fan_.size(); ++k) {
      figures.wealth(draw, Eigen::Index(k)) = run.net[Eigen::Index(fan_[k])];
    }
  }

  /// One that some history could not be made of has no figures.
  void keep(std::size_t k, FutureFigures& figures, const std::vector<Failures>& failures) {
    for (std::size_t draw = 0; draw < failures.size(); ++draw) {
      const auto found = std::ranges::find(failures[draw], k, &std::pair<std::size_t, Notice>::first);
      if (found == failures[draw].end()) continue;
      result_.failed.insert(
          result_.failed.begin(),
          {result_.runs[k].name, reason_beside(result_.runs[k].name, found->second)
                                     .led_by(fmt::format("In history {} of {}", draw + 1, failures.size()))});
      result_.runs.erase(result_.runs.begin() + std::ptrdiff_t(k));
      return;
    }
    auto& run = result_.runs[k];
    run.growth_per_year = std::move(figures.growth);
    run.max_drawdown = std::move(figures.drawdown);
    run.cost_per_year = std::move(figures.cost);
    run.end_wealth = std::move(figures.end);
    run.fan.resize(figures.wealth.cols(), Eigen::Index(told_quantiles().size()));
    for (Eigen::Index day = 0; day < run.fan.rows(); ++day) {
      run.fan.row(day) = quantiles_of(figures.wealth.col(day)).transpose();
    }
    figures.wealth.resize(0, 0);
  }

  [[nodiscard]] std::size_t baseline() const {
    for (const auto part : {&FutureRun::name, &FutureRun::schedule, &FutureRun::aim}) {
      for (std::size_t k = 0; k < result_.runs.size(); ++k) {
        if (same_name(result_.runs[k].*part, settings_.baseline)) return k;
      }
    }
    return 0;
  }

  const Universe& universe_;
  const Basis& basis_;
  const Portfolios& portfolios_;
  const Sources& sources_;
  const Settings& settings_;
  const FutureOptions& options_;
  std::vector<Notice> told_;  // with the runs
  WalkSetup setup_;
  PriceTable known_;  // own prices, with holes
  Drawn drawn_;
  std::vector<std::size_t> fan_;  // rows
  std::vector<Pair> pairs_;
  Futures result_;
};

}  // namespace

Futures futures_of(const Universe& universe, const Basis& basis, const Portfolios& portfolios, const Sources& sources,
                   const Settings& settings, const FutureOptions& options) {
  return FutureDrawing(universe, basis, portfolios, sources, settings, options).make();
}

}  // namespace inchtide

#include "rehearsal/at_costs.hpp"

#include <algorithm>
#include <mutex>
#include <optional>
#include <utility>
#include <vector>

#include "inchtide/base/errors.hpp"
#include "rehearsal/calendar.hpp"
#include "rehearsal/chain.hpp"
#include "rehearsal/market.hpp"
#include "rehearsal/measures.hpp"
#include "rehearsal/return_sums.hpp"
#include "returns/drawdown.hpp"

namespace inchtide {
namespace {

/// By the least and the most of so many it is seen that no deeper fall is among them; else they are gone through.
constexpr std::size_t rows_of_a_fall = 32;

void to_level(TradeTerms& terms, double level) {
  for (auto& costs : terms.costs) costs = at_level(std::move(costs), level);
}

}  // namespace

/// The path, and what measures need of its rows between trades: found once, as no cost bends them. Room for runs over
/// it is asked for once a thread, not once a run.
class RunsAtCosts::Shared {
 public:
  Shared(const PriceTable& table, const RehearsalPlan& plan, const RehearsalOptions& options)
      : table_(table),
        plan_(plan),
        options_(options),
        calendar_(table, plan, options),
        begin_(begin_walk(table, plan, options, Market(table, plan, options))) {
    const Chain chain(table, plan, options, calendar_, plan.terms);
    if (!chain.is_possible()) return;
    begin_.scaled = Chain::begin(begin_.ledger, begin_.net, 0);
    path_ = chain.whole_path(begin_);
    is_possible_ = path_.bad == table.rows();
    swap_room(begin_.so_far, room_);
    if (is_possible_) add_up();
  }

  [[nodiscard]] bool is_possible() const { return is_possible_; }

  /// False where these costs are none of a chain.
  bool run(double level, const std::function<void(const Rehearsal&)>& use) {
    auto room = take_room();
    to_level(room->terms = plan_.terms, level);
    const Chain chain(table_, plan_, options_, calendar_, room->terms, &path_);
    if (!chain.is_possible()) return false;
    if (!sums_ || !trade_all(chain, *room, use)) walk(chain, *room, use);
    const std::lock_guard guard(mutex_);
    idle_.push_back(std::move(room));
    return true;
  }

 private:
  /// Some rows between trades that are measured, and the least and the most of what there is on them.
  struct Between {
    std::size_t trades;  ///< before them
    std::size_t from, to;
    double least, most;
  };
  /// Costs are written into the last run's: each has tables of its own.
  struct Room {
    Rehearsal run;
    TradeTerms terms;
  };

  /// Once, without costs.
  void add_up() {
    Room room{room_, plan_.terms};
    to_level(room.terms, 0);
    auto state = begin_;
    state.scaled->returns->quiet.setZero(room.run.net.size());
    swap_room(state.so_far, room.run);
    const Chain chain(table_, plan_, options_, calendar_, room.terms, &path_);
    chain.pass(state, table_.rows());
    if (kept_by(state) == nullptr) return;
    const auto& run = state.so_far;
    const auto first = Eigen::Index(options_.delay), rows = run.net.size() - first - 1;
    const double rows_per_year = options_.rows_per_year.value_or(calendar_.rows_per_year());
    sums_.emplace(state.scaled->returns->quiet.tail(rows), run.paper.size() > 0 ? &run.paper[first + 1] : nullptr,
                  trades_behind(*state.scaled->returns, first), options_.risk_free / rows_per_year);
    find_between();
  }

  void find_between() {
    worth_ = path_.value;
    auto row = path_.from;
    for (std::size_t k = 0; k <= path_.trades.size(); ++k) {
      const auto to = k < path_.trades.size() ? path_.trades[k].traded : path_.to;
      row = std::max(row, options_.first_row + std::size_t(options_.delay));
      for (; row < to; row = std::min(to, row + rows_of_a_fall)) {
        const auto count = std::min(to - row, rows_of_a_fall);
        auto worth = worth_.segment(Eigen::Index(row - path_.from), Eigen::Index(count));
        worth += k == 0 ? path_.begin.cash : 1 - plan_.weights.sum();
        between_.push_back({k, row, row + count, worth.minCoeff(), worth.maxCoeff()});
      }
      row = to + 1;
    }
  }

  /// The deepest fall of a run: row by row only where there may be a deeper one, or where the rows are its own.
  [[nodiscard]] double deepest_fall(const Rehearsal& run, const KeptReturns& kept, double wealth) const {
    DeepestFall fall;
    const auto in_run = [&](std::size_t row) { return Eigen::Index(row - options_.first_row); };
    std::size_t traded = 0;
    const auto trade_up_to = [&](std::size_t count) {
      for (; traded < count; ++traded) {
        const auto at = in_run(path_.trades[traded].traded);
        wealth = run.net[at];
        if (at >= options_.delay) fall.add(wealth);
      }
    };
    auto own = kept.own.begin();
    for (const auto& rows : between_) {
      trade_up_to(rows.trades);
      while (own != kept.own.end() && own->row < in_run(rows.from)) ++own;
      if (own != kept.own.end() && own->row == in_run(rows.from)) {
        for (auto row = rows.from; row < rows.to; ++row) fall.add(run.net[in_run(row)]);
      } else if (!fall.pass(wealth * rows.least, wealth * rows.most)) {
        for (auto row = rows.from; row < rows.to; ++row) fall.add(wealth * worth_[Eigen::Index(row - path_.from)]);
      }
    }
    trade_up_to(path_.trades.size());
    return fall.depth();
  }

  bool trade_all(const Chain& chain, Room& room, const std::function<void(const Rehearsal&)>& use) {
    auto state = begin_in(room);
    const double wealth = state.scaled->wealth;
    const bool on_path = chain.trade_all(state);
    if (on_path) {
      auto& run = state.so_far;
      run.rows_per_year = options_.rows_per_year.value_or(calendar_.rows_per_year());
      const auto& kept = *state.scaled->returns;
      measure_at_costs(run, options_, *sums_, own_behind(kept, options_.delay), deepest_fall(run, kept, wealth));
      use(run);
    }
    swap_room(state.so_far, room.run);
    return on_path;
  }

  void walk(const Chain& chain, Room& room, const std::function<void(const Rehearsal&)>& use) {
    auto state = begin_in(room);
    state.scaled->returns->quiet.setZero(state.so_far.net.size());
    chain.pass(state, table_.rows());
    auto& run = state.so_far;
    run.end = std::move(state.ledger);
    run.rows_per_year = options_.rows_per_year.value_or(calendar_.rows_per_year());
    measure(run, options_, kept_by(state));
    use(run);
    swap_room(run, room.run);
  }

  WalkState begin_in(Room& room) const {
    auto state = begin_;
    swap_room(state.so_far, room.run);
    state.so_far.trades.clear();
    state.so_far.trades.reserve(path_.trades.size());
    state.scaled->returns->traded.reserve(path_.trades.size());
    state.scaled->returns->own.reserve(path_.trades.size());
    return state;
  }

  static void swap_room(Rehearsal& run, Rehearsal& room) {
    std::swap(run.days, room.days);
    std::swap(run.assets, room.assets);
    std::swap(run.trades, room.trades);
    for (auto series : {&Rehearsal::net, &Rehearsal::before, &Rehearsal::flow, &Rehearsal::gross, &Rehearsal::paper}) {
      (run.*series).swap(room.*series);
    }
  }

  std::unique_ptr<Room> take_room() {
    const std::lock_guard guard(mutex_);
    if (idle_.empty()) return std::make_unique<Room>(Room{room_, {}});
    auto room = std::move(idle_.back());
    idle_.pop_back();
    return room;
  }

  const PriceTable& table_;
  const RehearsalPlan& plan_;
  const RehearsalOptions& options_;
  Calendar calendar_;
  WalkState begin_;
  PathPiece path_;
  bool is_possible_ = false;
  // Of rows without a trade.
  std::optional<ReturnSums> sums_;
  Eigen::ArrayXd worth_;  // what there is, for each unit of wealth after the last trade
  std::vector<Between> between_;
  Rehearsal room_;  // as a run has it at first
  std::mutex mutex_;
  std::vector<std::unique_ptr<Room>> idle_;
};

RunsAtCosts::RunsAtCosts(const PriceTable& table, const RehearsalPlan& plan, const RehearsalOptions& options)
    : table_(table), plan_(plan), options_(options) {
  if (plan.schedule.tranches > 1 || plan.terms.costs.empty() || !options.brief || options.keep_weights) return;
  try {
    auto shared = std::make_unique<Shared>(table, plan, options);
    if (shared->is_possible()) shared_ = std::move(shared);
  } catch (const InputError&) {  // each run says it
  }
}

RunsAtCosts::~RunsAtCosts() = default;

void RunsAtCosts::run(double level, const std::function<void(const Rehearsal&)>& use) const {
  if (shared_ && shared_->run(level, use)) return;
  auto plan = plan_;
  to_level(plan.terms, level);
  use(rehearse(table_, plan, options_));
}

}  // namespace inchtide

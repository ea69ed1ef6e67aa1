#include "rehearsal/at_costs.hpp"

#include <mutex>
#include <utility>
#include <vector>

#include "inchtide/base/errors.hpp"
#include "rehearsal/calendar.hpp"
#include "rehearsal/chain.hpp"
#include "rehearsal/market.hpp"
#include "rehearsal/measures.hpp"

namespace inchtide {
namespace {

void to_level(TradeTerms& terms, double level) {
  for (auto& costs : terms.costs) costs = at_level(std::move(costs), level);
}

}  // namespace

/// The path, and room for runs over it: days and series are asked for once a thread, not once a run.
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
    begin_.scaled = Chain::begin(begin_.ledger, begin_.net);
    path_ = chain.whole_path(begin_);
    is_possible_ = path_.bad == table.rows();
    swap_room(begin_.so_far, room_);
  }

  [[nodiscard]] bool is_possible() const { return is_possible_; }

  /// False where these costs are none of a chain.
  bool run(double level, const std::function<void(const Rehearsal&)>& use) {
    auto room = take_room();
    room->terms = plan_.terms;
    to_level(room->terms, level);
    const Chain chain(table_, plan_, options_, calendar_, room->terms, &path_);
    if (!chain.is_possible()) return false;
    auto state = begin_;
    swap_room(state.so_far, room->run);
    state.so_far.trades.clear();
    state.so_far.trades.reserve(path_.trades.size());
    chain.pass(state, table_.rows());
    auto& run = state.so_far;
    run.end = std::move(state.ledger);
    run.rows_per_year = options_.rows_per_year.value_or(calendar_.rows_per_year());
    measure(run, options_);
    use(run);
    swap_room(state.so_far, room->run);
    const std::lock_guard guard(mutex_);
    idle_.push_back(std::move(room));
    return true;
  }

 private:
  static void swap_room(Rehearsal& run, Rehearsal& room) {
    std::swap(run.days, room.days);
    std::swap(run.assets, room.assets);
    std::swap(run.trades, room.trades);
    for (auto series : {&Rehearsal::net, &Rehearsal::before, &Rehearsal::flow, &Rehearsal::gross, &Rehearsal::paper}) {
      (run.*series).swap(room.*series);
    }
  }

  /// Costs are written into the last run's: each has tables of its own.
  struct Room {
    Rehearsal run;
    TradeTerms terms;
  };

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

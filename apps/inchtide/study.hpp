#pragma once
// What options and mandate add up to: prices, window, estimate, limits, costs, schedules.

#include <optional>
#include <string>
#include <vector>

#include "inchtide/base/tags.hpp"
#include "inchtide/estimate/estimate.hpp"
#include "inchtide/exchange/mandate.hpp"
#include "inchtide/frontier/frontier.hpp"
#include "inchtide/prices/actions.hpp"
#include "inchtide/prices/bars.hpp"
#include "inchtide/prices/currency.hpp"
#include "inchtide/prices/price_table.hpp"
#include "inchtide/rehearsal/rehearsal.hpp"
#include "inchtide/report/documents.hpp"
#include "inchtide/returns/return_table.hpp"
#include "inchtide/weights/allocation.hpp"
#include "options.hpp"

namespace inchtide::app {

// Prices of the universe and the benchmark, aligned on their common days and cut to the window.
struct Study {
  Options options;
  exchange::Mandate mandate;  // with the options worked in
  Tags tags;
  std::vector<BarHistory> bars;          // of the table's assets, all fields as they came
  std::vector<PriceHistory> histories;   // of the table's assets, whole
  AlignedPrices aligned;                 // whole
  PriceTable prices;                     // in the window; universe first, benchmark last where there is one
  std::vector<std::string> universe;     // asset codes
  std::optional<std::string> benchmark;  // its code
  std::vector<Notice> warnings;
  std::vector<std::pair<std::string, Spike>> misprints;     // asset and spike; dropped if the mandate says so
  std::vector<RateHistory> rates;                           // of the mandate's file
  std::vector<Converted> conversions;                       // what was converted
  std::vector<std::string> left_out;                        // assets in another currency
  std::vector<std::pair<std::string, Notice>> passed_over;  // assets whose file is of no use, and why
  std::vector<Adjusted> adjusted;                           // what actions were worked into
  ShortHistories short_histories = ShortHistories::shorten;
  std::vector<ShortHistoryEffect> short_effects;  // of each choice, where some history is short

  Interval every() const { return mandate.every.value_or(Interval{1, Unit::month}); }
  // In the currency of the study, where prices are converted to it.
  PriceHistory in_currency(PriceHistory history) const;
  std::string currency() const { return mandate.currency.value_or(""); }
  report::Json inputs() const;
};

// The field of that name, given to an option.
PriceField field_of(const std::string& name, const char* option);

// Reads the mandate and the options over it.
exchange::Mandate mandate_of(const Options& options);

// For returns there must be an interval that all histories have.
enum class Load { for_returns, to_look_at };
Study load_study(const Options& options, Load load = Load::for_returns);

// The prices of the universe on the days of the walk that a rehearsal takes, and the benchmark's last ones there.
PriceTable walk_of(Study& study);

// Returns of the named assets from prices before `before` (all when there is none); says so when an unfinished last
// period was dropped.
ReturnTable returns_of(Study& study, const std::vector<std::string>& assets, std::optional<Day> before);

// Returns of the universe and, where there is one, the benchmark's on the same rows.
struct StudyReturns {
  ReturnTable universe;
  Eigen::VectorXd benchmark;
};
StudyReturns estimation_returns(Study& study, std::optional<Day> before);

// The methods that the mandate and the options choose, with weights and risk-free rate filled in.
EstimateOptions methods_of(const Study& study);

// The estimate with all that a choice of weights needs.
struct Choice {
  Estimate estimate;
  Estimated estimated;      // its own account of it; empty when it came from a file
  ReturnTable returns;      // what it was made of; empty when it came from a file
  EstimateOptions methods;  // and how
  Limits limits;
  LimitFacts facts;  // what limits look up
  double risk_free = 0;
  std::vector<Notice> warnings;
  report::Json inputs;
};

// From --estimate, or from prices (before --split where given).
Choice load_choice(const Options& options);
// The same from prices that are loaded already.
Choice choice_of(Study& study, std::optional<Day> before);

// Whether blends may borrow, and how long to search where a number of holdings is limited: from now on.
ChoiceOptions choice_options(const Options& options);

// The portfolios that aims and a weights file ask for, and the aims that have none.
struct Chosen {
  std::vector<Allocation> portfolios;
  std::vector<Unanswered> unanswered;

  int exit_code() const { return unanswered.empty() ? done : done_in_part; }
};

// One aim that has no portfolio costs no other its own. Where none has one, what the first threw goes on.
Chosen allocations_of(const Choice& choice, const exchange::Mandate& mandate, const Options& options);

}  // namespace inchtide::app

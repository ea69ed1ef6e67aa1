#include "study.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <set>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/exchange/estimate_file.hpp"
#include "inchtide/exchange/tables_csv.hpp"
#include "inchtide/returns/figures.hpp"

namespace inchtide::app {
namespace {

std::vector<std::string> codes_of(const std::vector<PriceHistory>& histories) {
  std::vector<std::string> codes;
  for (const auto& history : histories) codes.push_back(history.asset);
  return codes;
}

// The base currency: as chosen, else the only one there is.
std::optional<std::string> base_currency(const exchange::Mandate& mandate, const std::vector<PriceHistory>& histories) {
  if (mandate.currency) return mandate.currency;
  std::set<std::string> seen;
  for (const auto& history : histories) {
    if (!history.currency.empty()) seen.insert(history.currency);
  }
  if (seen.size() > 1) {
    throw InputError("currency", fmt::format("the tags name several: {}", fmt::join(seen, ", ")),
                     "Choose the base one with --currency");
  }
  return seen.empty() ? std::nullopt : std::optional(*seen.begin());
}

// Checks that every asset asked for has prices.
void check_known(const std::vector<std::string>& asked, const std::vector<std::string>& known, const char* where) {
  for (const auto& code : asked) {
    if (!find_name(code, known))
      throw InputError(where, fmt::format("no prices of '{}'", code), did_you_mean(code, known));
  }
}

// A rate is good for this many calendar days after its own.
constexpr int rate_carry_days = 5;

bool is_foreign(const PriceHistory& history, const exchange::Mandate& mandate) {
  return mandate.currency && !history.currency.empty() && !same_name(history.currency, *mandate.currency);
}

// Sorts histories into universe, benchmark and those left out for their currency.
void pick_assets(Study& study, std::vector<PriceHistory> all) {
  auto& mandate = study.mandate;
  for (auto& history : all) {
    history.calendar = history.currency = study.tags.value(history.asset, "currency").value_or("");
    for (const auto& spike : mandate.drop_misprints ? drop_spikes(history) : find_spikes(history)) {
      study.misprints.emplace_back(history.asset, spike);
    }
  }
  const auto codes = codes_of(all);
  check_known(mandate.assets, codes, "assets");
  if (mandate.benchmark) check_known({*mandate.benchmark}, codes, "benchmark");
  mandate.currency = base_currency(mandate, all);

  const auto rates =
      mandate.rates ? exchange::read_rates(*mandate.rates, mandate.currency.value_or("")) : std::vector<RateHistory>{};
  std::optional<PriceHistory> benchmark;
  for (auto& history : all) {
    const bool is_benchmark = mandate.benchmark && same_name(history.asset, *mandate.benchmark);
    if (!is_benchmark && !mandate.assets.empty() && !find_name(history.asset, mandate.assets)) continue;
    if (is_foreign(history, mandate)) {
      if (!mandate.rates && !is_benchmark) {
        study.left_out.push_back(fmt::format("{} ({})", history.asset, history.currency));
        continue;
      }
      study.conversions.push_back(convert(history, *mandate.currency, rates, rate_carry_days));
      history = study.conversions.back().history;
    }
    if (is_benchmark) {
      benchmark = std::move(history);
      continue;
    }
    study.universe.push_back(history.asset);
    study.histories.push_back(std::move(history));
  }
  if (study.histories.empty()) {
    throw InputError("assets", "none is left to look at", "Check --assets and --currency");
  }
  if (benchmark) {
    study.benchmark = benchmark->asset;
    study.histories.push_back(std::move(*benchmark));
  }
  if (!study.left_out.empty()) {
    study.warnings.push_back(fmt::format(
        "Left out, because they are priced in another currency than {} and no rates were given (--rates): {}",
        *mandate.currency, fmt::join(study.left_out, ", ")));
  }
}

std::optional<Day> day_option(const std::string& text, const char* name) {
  if (text.empty()) return std::nullopt;
  return day_from(text, name);
}

// Limits on assets that the mandate knows but this run left out are passed over, with a warning.
Limits limits_on(const std::vector<std::string>& assets, const exchange::Mandate& mandate, const Options& options,
                 std::vector<std::string>& warnings, const std::vector<std::string>& known_elsewhere) {
  Limits limits;
  if (!options.no_limits) {
    for (const auto& limit : mandate.limits) {
      const bool unknown = !limit.asset.empty() && !find_name(limit.asset, assets);
      if (unknown && find_name(limit.asset, known_elsewhere)) {
        warnings.push_back(fmt::format("Limit {} '{}' is passed over: {} is not among the assets", limit.name,
                                       limit.text, limit.asset));
        continue;
      }
      limits.push_back(limit);
    }
  }
  for (const auto& text : options.limits) limits.push_back(Limit::parse(text));
  return limits;
}

Choice finish_choice(Choice choice, const exchange::Mandate& mandate, const Options& options,
                     const std::vector<std::string>& known_elsewhere) {
  choice.risk_free = mandate.risk_free.value_or(choice.estimate.risk_free);
  choice.estimate.risk_free = choice.risk_free;
  choice.limits = limits_on(choice.estimate.assets, mandate, options, choice.warnings, known_elsewhere);
  std::vector<std::string> texts;
  for (const auto& limit : choice.limits) texts.push_back(limit.text);
  choice.inputs["limits"] = texts;
  choice.inputs["risk_free"] = choice.risk_free;
  return choice;
}

Eigen::VectorXd weights_for(const std::vector<std::string>& assets, const exchange::WeightList& list,
                            const std::string& file) {
  Eigen::VectorXd weights = Eigen::VectorXd::Zero(Eigen::Index(assets.size()));
  for (std::size_t k = 0; k < list.assets.size(); ++k) {
    const auto found = find_name(list.assets[k], assets);
    if (!found) {
      throw InputError(file, fmt::format("no asset of the estimate has the code '{}'", list.assets[k]),
                       did_you_mean(list.assets[k], assets));
    }
    weights[Eigen::Index(*found)] = list.weights[k];
  }
  return weights;
}

}  // namespace

report::Json Study::inputs() const {
  report::Json inputs;
  if (!options.mandate.empty()) inputs["mandate"] = options.mandate;
  inputs["prices"] = mandate.prices->string();
  inputs["assets"] = universe;
  inputs["benchmark"] = benchmark ? report::Json(*benchmark) : report::Json();
  inputs["left_out"] = left_out;
  inputs["from"] = to_string(prices.days.front());
  inputs["to"] = to_string(prices.days.back());
  inputs["every"] = every().text();
  inputs["drop_misprints"] = mandate.drop_misprints;
  inputs["align"] = mandate.align.value_or(AlignPolicy{}).text();
  if (mandate.currency) inputs["currency"] = *mandate.currency;
  return inputs;
}

exchange::Mandate mandate_of(const Options& options) {
  exchange::Mandate mandate;
  if (!options.mandate.empty()) mandate = exchange::read_mandate(options.mandate);
  if (!options.prices.empty()) mandate.prices = options.prices;
  if (!options.tags.empty()) mandate.tags = options.tags;
  if (!options.assets.empty()) mandate.assets = options.assets;
  if (!options.benchmark.empty()) mandate.benchmark = options.benchmark;
  if (!options.currency.empty()) mandate.currency = options.currency;
  if (!options.rates.empty()) mandate.rates = options.rates;
  if (!options.align.empty()) mandate.align = AlignPolicy::parse(options.align, "--align");
  mandate.drop_misprints = mandate.drop_misprints || options.drop_misprints;
  if (!options.every.empty()) mandate.every = Interval::parse(options.every, "--every");
  if (!options.last.empty()) mandate.from.reset();
  if (const auto day = day_option(options.from, "--from")) mandate.from = day;
  if (const auto day = day_option(options.to, "--to")) mandate.to = day;
  if (const auto day = day_option(options.split, "--split")) mandate.split = day;
  if (!options.risk_free.empty()) mandate.risk_free = fraction_from_percent(options.risk_free, "--risk-free");
  if (options.wealth) mandate.wealth = options.wealth;
  if (options.delay) mandate.delay = options.delay;
  if (!options.aims.empty() || !options.weights.empty()) mandate.aims.clear();
  for (const auto& aim : options.aims) mandate.aims.push_back(Aim::parse(aim, "--aim"));
  if (!options.schedules.empty()) mandate.schedules.clear();
  for (const auto& schedule : options.schedules) mandate.schedules.push_back(Schedule::parse(schedule, "--schedule"));
  if (!options.costs.empty()) mandate.costs.clear();
  for (const auto& cost : options.costs) mandate.costs.push_back(CostClass::parse(cost, "--cost"));
  return mandate;
}

Study load_study(const Options& options) {
  Study study;
  study.options = options;
  study.mandate = mandate_of(options);
  if (!study.mandate.prices) {
    throw InputError("prices", "none were given", "Give --prices PATH, or --mandate FILE with [universe] prices");
  }
  if (study.mandate.tags) study.tags = exchange::read_tags(*study.mandate.tags);
  pick_assets(study, exchange::read_prices(*study.mandate.prices));
  study.aligned = align(study.histories, study.mandate.align.value_or(AlignPolicy{}));
  auto from = study.mandate.from;
  if (!options.last.empty()) from = Interval::parse(options.last, "--last").before(study.aligned.table.days.back());
  study.prices = study.aligned.table.between(from, study.mandate.to);
  std::set<PriceField> fields;
  for (const auto& asset : study.prices.assets) fields.insert(asset.field);
  if (fields.size() > 1) {
    study.warnings.push_back(
        "Some assets have adjusted closes and others only plain ones: dividends and splits are in "
        "the former and not in the latter (see inspect)");
  }
  return study;
}

ReturnTable returns_of(Study& study, const std::vector<std::string>& assets, std::optional<Day> before) {
  auto table = study.prices.only(assets);
  if (before) table = table.between(std::nullopt, *before - std::chrono::days{1});
  const auto ends = period_ends(table, study.every());
  if (!ends.last_kept) {
    study.warnings.push_back(fmt::format("The last {} had not ended on {}, so it is not used", study.every().words(),
                                         to_string(table.days.back())));
  }
  return simple_returns(ends.table, study.every());
}

Choice choice_of(Study& study, std::optional<Day> before) {
  Choice choice;
  choice.estimate = sample_estimate(returns_of(study, study.universe, before));
  choice.inputs = study.inputs();
  if (before) choice.inputs["split"] = to_string(*before);
  auto known = study.tags.assets;
  for (const auto& history : study.histories) known.push_back(history.asset);
  choice = finish_choice(std::move(choice), study.mandate, study.options, known);
  choice.warnings.insert(choice.warnings.begin(), study.warnings.begin(), study.warnings.end());
  if (choice.estimate.rows_dropped > 0) {
    choice.warnings.push_back(
        fmt::format("{} of {} periods are left out of the estimate: not every asset has a return over "
                    "the same days",
                    choice.estimate.rows_dropped, choice.estimate.rows_dropped + choice.estimate.observations));
  }
  const auto n = std::size_t(choice.estimate.size());
  if (choice.estimate.observations <= n) {
    choice.warnings.push_back(
        fmt::format("{} returns for {} assets: the sample covariance is singular, and some "
                    "portfolios seem riskless. Use a longer history, a shorter interval (--every) "
                    "or fewer assets",
                    choice.estimate.observations, n));
  }
  return choice;
}

Choice load_choice(const Options& options) {
  if (options.estimate.empty()) {
    auto study = load_study(options);
    return choice_of(study, day_option(options.split, "--split"));
  }
  const auto mandate = mandate_of(options);
  Choice choice;
  choice.estimate = exchange::read_estimate(options.estimate);
  choice.inputs["estimate"] = options.estimate;
  if (!options.mandate.empty()) choice.inputs["mandate"] = options.mandate;
  choice.inputs["assets"] = choice.estimate.assets;
  const auto known = mandate.tags ? exchange::read_tags(*mandate.tags).assets : std::vector<std::string>{};
  return finish_choice(std::move(choice), mandate, options, known);
}

std::vector<Allocation> allocations_of(const Choice& choice, const exchange::Mandate& mandate, const Options& options) {
  auto aims = mandate.aims;
  if (aims.empty() && options.weights.empty()) {
    for (const char* text : {"minimum-variance", "maximum-sharpe", "equal"}) aims.push_back(Aim::parse(text, "aims"));
  }
  std::vector<Allocation> allocations;
  if (!aims.empty()) {
    const auto frontier = trace_frontier(choice.estimate, choice.limits);
    for (const auto& aim : aims) allocations.push_back(choose(frontier, choice.limits, aim, choice.risk_free));
  }
  if (!options.weights.empty()) {
    for (const auto& list : exchange::read_weights(options.weights)) {
      const auto weights = weights_for(choice.estimate.assets, list, options.weights);
      allocations.push_back(evaluate(choice.estimate, choice.limits, weights, list.name, choice.risk_free));
    }
  }
  return allocations;
}

}  // namespace inchtide::app

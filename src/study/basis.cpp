#include "inchtide/study/basis.hpp"

#include <fmt/format.h>

#include <chrono>
#include <numeric>

#include "base/numbers.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/base/text.hpp"
#include "inchtide/estimate/benchmark.hpp"
#include "inchtide/prices/periods.hpp"

namespace inchtide {
namespace {

constexpr double worth_a_word = 0.1;  // of a year that a short history costs all

// Limits on assets that are known elsewhere but no part of this study are passed over, and said.
Limits limits_on(const std::vector<std::string>& assets, const Settings& settings,
                 const std::vector<std::string>& known_elsewhere, std::vector<Notice>& warnings) {
  Limits limits;
  for (const auto& limit : settings.limits) {
    const auto asset = limit.asset();
    if (!asset.empty() && !find_name(asset, assets) && find_name(asset, known_elsewhere)) {
      warnings.push_back(
          fmt::format("Limit {} '{}' is passed over: {} is not among the assets", limit.name, limit.text, asset));
      continue;
    }
    limits.push_back(limit);
  }
  limits.insert(limits.end(), settings.added_limits.begin(), settings.added_limits.end());
  return limits;
}

// What is held now, and what trading from it costs.
void take_current(Basis& basis, const WeightList& current, const Settings& settings) {
  basis.facts.current = weights_for(basis.estimate.assets, current);
  if (settings.costs.empty()) return;
  const auto costs = asset_costs(settings.costs, basis.estimate.assets, basis.facts.tags);
  basis.facts.costs = TradingCosts{basis.facts.current, proportional(costs), settings.horizon};
  const auto hangs_on_amounts = [](const AssetCosts& c) {
    return !c.buy.is_proportional() || !c.sell.is_proportional();
  };
  if (std::ranges::any_of(costs, hangs_on_amounts)) {
    basis.warnings.push_back(
        "Net returns count what of the costs is in proportion to the value traded: fees, least and most commissions, "
        "further tiers and impact hang on amounts and are in orders and rehearsals alone");
  }
}

void finish(Basis& basis, const Sources& sources, const Settings& settings,
            const std::vector<std::string>& known_elsewhere) {
  if (basis.estimate.returns == ReturnKind::log) {
    basis.estimate = simple_from_log(basis.estimate);
    basis.warnings.push_back(
        "The estimate is of log returns. Portfolios add up simple ones, so it is converted, exact where a year's "
        "growth is lognormal: E = exp(m + s/2) - 1 of mean m and variance s, covariance (1 + E)(1 + E')(exp(c) - 1)");
  }
  basis.risk_free = settings.risk_free.value_or(basis.estimate.risk_free);
  basis.estimate.risk_free = basis.risk_free;
  basis.limits = limits_on(basis.estimate.assets, settings, known_elsewhere, basis.warnings);
  if (sources.current) take_current(basis, *sources.current, settings);
}

// Units and cash say what the weights and the wealth are.
void take_held(Basis& basis, const Universe& universe, const Sources& sources, const Settings& settings) {
  if (!sources.held) return;
  if (sources.current) {
    throw InputError(where_of(*sources.held), "what is held is given as units and as weights", "Leave one of them out");
  }
  const auto valued = value_of(*sources.held, universe, basis.known_to);
  take_current(basis, valued.weights, settings);
  basis.wealth = valued.wealth;
  basis.warnings.emplace_back(
      fmt::format("What is held is worth {}{}{}, cash of {} among it, which stands for any other wealth that was given",
                  with_thousands(valued.wealth), universe.currency.empty() ? "" : " ", universe.currency,
                  with_thousands(sources.held->cash)));
}

/// From where to where an asset has returns, in periods from the start of a table.
struct Reach {
  long from = 0, to = 0;
  std::string asset;
};

std::vector<Reach> reaches_of(const ReturnTable& returns, Eigen::Index assets) {
  std::vector<Reach> reaches;
  for (Eigen::Index i = 0; i < assets; ++i) {
    std::optional<Reach> reach;
    for (Eigen::Index t = 0; t < returns.spans.rows(); ++t) {
      const long span = returns.spans(t, i), end = returns.end(std::size_t(t));
      if (span == 0) continue;
      if (!reach) reach = Reach{end - span, end, returns.assets[std::size_t(i)]};
      reach->to = end;
    }
    if (reach) reaches.push_back(*std::move(reach));
  }
  return reaches;
}

/// Where histories are kept as they are, one that is short cuts what all have in common.
void tell_of_short_ones(const ReturnTable& returns, const Universe& universe, std::vector<Notice>& warnings) {
  const auto reaches = reaches_of(returns, Eigen::Index(universe.assets.size()));
  if (reaches.empty()) return;
  const auto late = *std::ranges::max_element(reaches, {}, &Reach::from);
  const auto early = *std::ranges::min_element(reaches, {}, &Reach::to);
  const auto day_of = [&](long period) {
    for (std::size_t row = 0; row < returns.days.size(); ++row) {
      if (returns.end(row) == period) return to_string(returns.days[row]);
    }
    return to_string(returns.start);
  };
  const auto begins = fmt::format("{} has prices from {} on", late.asset, day_of(late.from));
  const auto ends = fmt::format("{} has prices up to {}", early.asset, day_of(early.to));
  if (late.from >= early.to) {
    throw InputError(
        "returns", fmt::format("{} and {}: there is no {} that all assets have", begins, ends, universe.every.words()),
        {{Means::assets, "Leave one of them out"}, {Means::short_histories, "all such", "leave-out"}});
  }
  const long first = std::ranges::min(reaches, {}, &Reach::from).from,
             last = std::ranges::max(reaches, {}, &Reach::to).to;
  const long before = late.from - first, after = last - early.to;
  if (double(std::max(before, after)) / universe.every.periods_per_year() <= worth_a_word) return;
  warnings.emplace_back(
      Where(),
      fmt::format("{}: {} of {} {}s are not used, as not all assets have them", before >= after ? begins : ends,
                  before + after, last - first, universe.every.words()),
      std::vector<Remedy>{{Means::short_histories, "Leaving short histories out keeps them", "leave-out"}});
}

}  // namespace

ReturnTable returns_by(const PriceTable& prices, const Interval& every, const Settings& settings,
                       std::vector<Notice>& warnings) {
  const auto ends = period_ends(prices, every, settings.keep_last_period);
  if (!ends.last_kept || ends.last_unfinished) {
    warnings.push_back(fmt::format("The last {} had not ended on {}, {}", every.words(), to_string(prices.days.back()),
                                   ends.last_kept ? "and is used as it stands, as chosen" : "so it is not used"));
  }
  auto returns = returns_of(ends.table, every, settings.returns);
  if (settings.periods_per_year) returns.periods_per_year = *settings.periods_per_year;
  return returns;
}

StudyReturns study_returns(const Universe& universe, const Settings& settings, std::optional<Day> before) {
  auto columns = universe.assets;
  if (universe.benchmark) columns.push_back(*universe.benchmark);
  auto prices = universe.prices.only(columns);
  if (before) prices = prices.between(std::nullopt, *before - std::chrono::days{1});
  StudyReturns result;
  auto both = returns_by(prices, universe.every, settings, result.warnings);
  const Eigen::Index followers = universe.benchmark ? 1 : 0;
  if (!settings.pairwise) {
    if (universe.short_histories == ShortHistories::keep) tell_of_short_ones(both, universe, result.warnings);
    both = both.at_common_ends(followers);
    if (const auto many = both.long_rows(); many > 0) {
      result.warnings.push_back(fmt::format("{} of {} returns span several {}s, and count as many", many,
                                            both.observations(), universe.every.words()));
    }
  }
  std::vector<Eigen::Index> own(universe.assets.size());
  std::iota(own.begin(), own.end(), Eigen::Index(0));
  result.assets = both.columns(own);
  if (!universe.benchmark) return result;
  if (settings.pairwise) {
    result.beside = std::move(both);
    return result;
  }
  result.benchmark = both.returns.col(both.returns.cols() - 1);
  const auto beside = result.benchmark.array().isFinite().count();
  if (beside < result.benchmark.size()) {
    result.warnings.push_back(
        fmt::format("{} has a return beside {} of the {} of the assets: what stands against it is of those",
                    *universe.benchmark, beside, result.benchmark.size()));
  }
  return result;
}

namespace {

/// What is said of assets that are known elsewhere but no part of this study is passed over, as limits on them are.
void pass_over_others(EstimateOptions& methods, const Universe& universe, std::vector<Notice>& warnings) {
  const auto outside = [&](const std::string& asset) {
    return !find_name(asset, universe.assets) && find_name(asset, universe.known);
  };
  const auto pass_over = [&](const std::string& what, const std::string& asset) {
    warnings.push_back(fmt::format("{} is passed over: {} is not among the assets", what,
                                   universe.known[*find_name(asset, universe.known)]));
    return true;
  };
  for (auto figures : {&EstimateOptions::own, &EstimateOptions::caps}) {
    const char* kind = figures == &EstimateOptions::own ? "own" : "greatest";
    std::erase_if(methods.*figures, [&](const auto& one) {
      return outside(one.first) &&
             pass_over(fmt::format("The {} expected return of {}", kind, short_percent(one.second)), one.first);
    });
  }
  const bool had_views = !methods.views.empty();
  std::erase_if(methods.views, [&](const View& view) {
    const auto found = std::ranges::find_if(view.positions, [&](const auto& one) { return outside(one.first); });
    return found != view.positions.end() && pass_over(fmt::format("View '{}'", view.name), found->first);
  });
  using Kind = ExpectedMethod::Kind;
  const bool none_left = had_views && methods.views.empty();
  if (none_left && methods.expected.kind == Kind::views) methods.expected.kind = Kind::implied;  // what none come to
}

}  // namespace

EstimateOptions methods_of(const Universe& universe, const Sources& sources, const Settings& settings,
                           std::vector<Notice>& warnings) {
  auto methods = settings.methods;
  pass_over_others(methods, universe, warnings);
  methods.risk_free = settings.risk_free.value_or(0);
  if (sources.implied) methods.implied_weights = weights_for(universe.assets, *sources.implied);
  return methods;
}

Basis basis_of(const Universe& universe, const Sources& sources, const Settings& settings, std::optional<Day> before) {
  return with_limits(estimated_basis(universe, sources, settings, before), universe, sources, settings);
}

namespace {

/// Sample covariances with the benchmark fit beside those of the assets over the same rows, and beside no others: not
/// beside those that log returns are converted to.
BenchmarkRisk beside(const Basis& basis, const StudyReturns& returns) {
  const auto& [assets, benchmark, pairwise, warnings] = returns;
  const bool same_rows = std::size_t(benchmark.array().isFinite().count()) == basis.estimate.observations;
  const bool sample = basis.methods.covariance.kind == CovarianceMethod::Kind::sample;
  if (sample && same_rows && assets.kind == ReturnKind::simple) {
    return benchmark_risk(assets, benchmark, basis.methods.denominator);
  }
  return benchmark_beside(simple_from_log(basis.estimate).covariance, assets, benchmark);
}

}  // namespace

Basis estimated_basis(const Universe& universe, const Sources& sources, const Settings& settings,
                      std::optional<Day> before) {
  Basis basis;
  basis.known_to = before ? *before - std::chrono::days{1} : settings.to;
  auto common = settings;
  common.pairwise = false;
  auto returns = study_returns(universe, common, before);
  basis.warnings = std::move(returns.warnings);
  basis.methods = methods_of(universe, sources, settings, basis.warnings);
  basis.estimated = estimate_by(returns.assets, basis.methods, returns.benchmark);
  basis.estimate = basis.estimated.estimate;
  basis.facts.tags = universe.tags;
  if (universe.benchmark) basis.facts.benchmark = beside(basis, returns);
  basis.returns = std::move(returns.assets);
  basis.benchmark = std::move(returns.benchmark);
  return basis;
}

Basis with_limits(Basis estimated, const Universe& universe, const Sources& sources, const Settings& settings) {
  Basis basis = std::move(estimated);
  finish(basis, sources, settings, universe.known);
  take_held(basis, universe, sources, settings);
  const auto& estimate = basis.estimate;
  if (estimate.rows_dropped > 0) {
    basis.warnings.push_back(
        fmt::format("{} of {} periods are left out of the estimate: the benchmark has no return there",
                    estimate.rows_dropped, estimate.rows_dropped + estimate.observations));
  }
  // Too few returns for a covariance is a warning everywhere; the rest of the advice is for who looks at the estimate.
  if (estimate.observations <= std::size_t(estimate.size())) {
    const auto& advice = basis.estimated.advice;
    basis.warnings.insert(basis.warnings.end(), advice.begin(), advice.end());
  }
  return basis;
}

Basis basis_of(Estimate estimate, const Sources& sources, const Settings& settings) {
  if (sources.held) {
    throw InputError(where_of(*sources.held), "they are units, and an estimate has no prices to make weights of them",
                     "Give weights in place of units");
  }
  Basis basis;
  basis.estimate = std::move(estimate);
  basis.facts.tags = sources.tags;
  finish(basis, sources, settings, sources.tags.assets);
  return basis;
}

double wealth_of(const Basis& basis, const Settings& settings) {
  return basis.wealth.value_or(settings.wealth);
}

}  // namespace inchtide

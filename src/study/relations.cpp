#include "inchtide/study/relations.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "base/numbers.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "study/long_blocks.hpp"
#include "study/window.hpp"

namespace inchtide {
namespace {

constexpr int random_subsets = 1000;     // of each size, for what spreading does
constexpr int usual_pick = 5;            // of the least related at other intervals
constexpr int most_for_usual_pick = 40;  // beyond, their proof takes long
constexpr std::chrono::days slack_before_a_window{7};

std::vector<std::size_t> order_of(const Correlation& correlation, const Tags& tags, const std::string& how) {
  if (same_name(how, "cluster")) return order_by_clustering(correlation);
  if (!how.empty() && !same_name(how, "given")) {
    auto known = tags.columns;
    if (!find_name(how, known)) {
      known.insert(known.end(), {"given", "cluster"});
      throw InputError("order of the matrix", fmt::format("the tags have no column '{}'", how),
                       did_you_mean(how, known));
    }
    return order_by_tag(correlation.assets, tags, how);
  }
  std::vector<std::size_t> order(correlation.assets.size());
  std::iota(order.begin(), order.end(), std::size_t(0));
  return order;
}

/// Collects the parts.
class Relating {
 public:
  Relating(const Universe& universe, const Settings& settings, const RelationsOptions& options)
      : universe_(universe), settings_(settings), options_(options) {}

  Relations all() {
    if (!find_name(options_.by, universe_.tags.columns) && !same_name(options_.by, "sector")) {
      throw InputError("averages by tag", fmt::format("the tags have no column '{}'", options_.by),
                       did_you_mean(options_.by, universe_.tags.columns));
    }
    result_.denominator = settings_.methods.denominator;
    result_.risk_free = settings_.risk_free.value_or(0);
    auto returns = study_returns(universe_, settings_);
    say(returns.warnings);
    result_.returns = returns.assets;
    beside_ = std::move(returns);
    const auto as_given = correlation_over(result_.returns);
    order_ = order_of(as_given, universe_.tags, options_.order);
    result_.correlation = as_given.in_order(order_);
    if (options_.to_explore) list_orders(as_given);
    warn_of_matrix();
    warn_of_pairs();
    result_.averages = averages_of(result_.correlation, beside_);
    check_windows();
    for (const auto& span : options_.windows) add_window(span);
    for (const auto& every : options_.intervals) attempt([&] { add_interval(every); });
    pick();
    against_benchmark();
    if (result_.correlation.motionless.empty()) result_.components = principal_components(result_.correlation);
    first_and_then();
    spread();
    roll();
    draw_bands();
    return std::move(result_);
  }

 private:
  void check_windows() const {
    const auto& all = options_.windows;
    for (auto one = all.begin(); one != all.end(); ++one) {
      if (std::find(all.begin(), one, *one) == one) continue;
      throw InputError("windows", fmt::format("{} is there twice", one->text()), "Name it once");
    }
  }

  void say(const std::vector<Notice>& notices) {
    result_.warnings.insert(result_.warnings.end(), notices.begin(), notices.end());
  }

  /// A part that this history may be too short or too still for: then it is left out, and said.
  template <typename Part>
  void attempt(Part part, const std::string& lead = "Left out") {
    try {
      part();
    } catch (const InputError& error) {
      result_.warnings.push_back(error.notice().led_by(lead));
    }
  }

  Correlation correlation_over(const ReturnTable& returns) const {
    return settings_.pairwise ? pairwise_correlation(returns) : correlation_of(returns);
  }

  void list_orders(const Correlation& as_given) {
    auto names = universe_.tags.columns;
    names.emplace_back("cluster");
    for (const auto& name : names) {
      result_.orders.emplace_back(name, as_given.in_order(order_of(as_given, universe_.tags, name)).assets);
    }
  }

  void warn_of_matrix() {
    for (const auto& asset : result_.correlation.motionless) {
      result_.warnings.push_back(fmt::format("{} never moves, so it has no correlation", asset));
    }
    if (const auto& repair = result_.correlation.repair) {
      result_.warnings.push_back(
          fmt::format("The correlations contradicted each other and were moved by {:.4f} in all "
                      "to the nearest that hold together",
                      repair->distance));
    }
  }

  /// What no pair has for itself, and so isn't pair by pair.
  void warn_of_pairs() {
    const auto common = result_.returns.common_rows().size();
    if (!settings_.pairwise || common == result_.returns.observations()) return;
    result_.warnings.push_back(fmt::format(
        "Pair by pair counts for correlations and for each asset against the benchmark: what lasted and what spreading "
        "does are of the {} returns that all assets have, of {}",
        common, result_.returns.observations()));
  }

  /// An asset and the benchmark, over all the periods that the two have.
  static ReturnTable beside_benchmark(const StudyReturns& returns, Eigen::Index asset) {
    return returns.beside.columns({asset, returns.beside.returns.cols() - 1}).at_common_ends();
  }

  /// NaN where an asset never moves, or shares too few returns with it.
  Eigen::VectorXd correlations_beside(const StudyReturns& returns) const {
    if (!settings_.pairwise) return correlations_with(returns.assets, returns.benchmark);
    Eigen::VectorXd all = Eigen::VectorXd::Constant(returns.assets.returns.cols(), no_figure);
    for (Eigen::Index i = 0; i < all.size(); ++i) {
      const auto pair = beside_benchmark(returns, i);
      if (pair.observations() > 2) all[i] = correlation_of(pair).matrix(0, 1);
    }
    return all;
  }

  std::vector<PairAverage> averages_of(const Correlation& correlation, const StudyReturns& returns) const {
    auto averages = average_correlations(correlation, universe_.tags, options_.by);
    if (averages.empty()) {
      throw InputError("relations", "there is no pair of assets", {Means::assets, "Name at least two that move"});
    }
    if (!universe_.benchmark) return averages;
    PairAverage average{fmt::format("with {}", *universe_.benchmark)};
    for (double r : correlations_beside(returns)) {
      if (std::isnan(r)) continue;
      average.mean += r;
      ++average.pairs;
    }
    average.mean /= double(std::max<std::size_t>(average.pairs, 1));
    if (average.pairs > 0) averages.push_back(average);
    return averages;
  }

  void add_window(const Interval& span) {
    const Day first = universe_.prices.days.front(), last = universe_.prices.days.back();
    if (span.before(last) < first - slack_before_a_window) {
      result_.warnings.push_back(
          fmt::format("The window {} reaches before {}, where the prices begin; it holds what there is", span.text(),
                      to_string(first)));
    }
    auto narrower = universe_;
    const auto from = window_start(universe_.prices, span, universe_.every, settings_.keep_last_period);
    narrower.prices = universe_.prices.between(from, std::nullopt);
    const auto returns = study_returns(narrower, settings_);
    const auto correlation = correlation_over(returns.assets).in_order(order_);
    result_.windows.push_back({span, correlation, averages_of(correlation, returns)});
  }

  void add_interval(const Interval& every) {
    auto other = universe_;
    auto settings = settings_;
    settings.every = every;
    settle_interval(other, settings);
    const auto returns = study_returns(other, settings);
    const auto correlation = correlation_over(returns.assets).in_order(order_);
    RelationsInterval at{every, correlation, averages_of(correlation, returns), {}};
    const auto assets = int(correlation.assets.size());
    const auto count = std::min(options_.pick.value_or(usual_pick), assets);
    if (correlation.motionless.empty() && count > 0 && (options_.pick || assets <= most_for_usual_pick)) {
      at.least_related = least_related(correlation.matrix, count, options_.search);
    }
    result_.intervals.push_back(std::move(at));
  }

  void pick() {
    if (!options_.pick) return;
    const auto& correlation = result_.correlation;
    const int most = int(correlation.assets.size());
    if (*options_.pick < 1 || *options_.pick > most) {
      throw InputError("least related", fmt::format("{} of {} assets", *options_.pick, most),
                       {Means::subset_size, fmt::format("Give a number from 1 to {}", most)});
    }
    if (!correlation.motionless.empty()) {
      throw InputError("least related",
                       fmt::format("{} never moves, so it has no correlation", correlation.motionless.front()),
                       {Means::assets, "Leave it out"});
    }
    result_.by_absolute = options_.search.absolute;
    result_.least_related = least_related(correlation.matrix, *options_.pick, options_.search);
  }

  void against_benchmark() {
    if (!universe_.benchmark) return;
    if (!settings_.pairwise) {
      attempt([&] { result_.market = market_models(result_.returns, beside_.benchmark, result_.risk_free); });
      return;
    }
    std::vector<MarketModel> models;
    for (Eigen::Index i = 0; i < result_.returns.returns.cols(); ++i) {
      attempt(
          [&] {
            const auto pair = beside_benchmark(beside_, i);
            models.push_back(market_models(pair.columns({0}), pair.returns.col(1), result_.risk_free).front());
          },
          result_.returns.assets[std::size_t(i)] + " is left out beside the benchmark");
    }
    if (!models.empty()) result_.market = std::move(models);
  }

  void first_and_then() {
    attempt([&] {
      result_.stability = options_.split ? stability_of(result_.returns, *options_.split, result_.denominator)
                                         : stability_of(result_.returns, result_.denominator);
    });
  }

  void spread() {
    attempt([&] {
      EstimateOptions sample;
      sample.denominator = result_.denominator;
      const auto estimate = estimate_by(result_.returns, sample).estimate;
      result_.diversification = diversification_curve(estimate.covariance, random_subsets, options_.seed);
    });
  }

  /// The asset of that name, or the benchmark as a column after the last asset.
  Eigen::Index column_of(const std::string& code) const {
    const auto& assets = result_.returns.assets;
    if (const auto found = find_name(code, assets)) return Eigen::Index(*found);
    if (universe_.benchmark && same_name(code, *universe_.benchmark)) return Eigen::Index(assets.size());
    throw InputError("rolling correlation", fmt::format("no asset has the code '{}'", code),
                     did_you_mean(code, assets));
  }

  /// Pairs as chosen; else the most and the least related.
  std::vector<std::pair<Eigen::Index, Eigen::Index>> pairs_to_follow() const {
    std::vector<std::pair<Eigen::Index, Eigen::Index>> pairs;
    for (const auto& [a, b] : options_.pairs) {
      pairs.emplace_back(column_of(a), column_of(b));
      if (pairs.back().first == pairs.back().second) {
        throw InputError("rolling correlation", fmt::format("'{}' and '{}' are one asset", a, b), "Name two");
      }
    }
    if (!pairs.empty()) return pairs;
    const auto all = pairs_of(result_.correlation);
    if (all.empty()) return pairs;
    const auto columns = [&](const Pair& pair) {
      const auto& assets = result_.correlation.assets;
      return std::pair(column_of(assets[std::size_t(pair.a)]), column_of(assets[std::size_t(pair.b)]));
    };
    pairs.push_back(columns(*std::ranges::max_element(all, {}, &Pair::correlation)));
    if (columns(all.front()) != pairs.front()) pairs.push_back(columns(all.front()));
    return pairs;
  }

  void roll() {
    if (!options_.rolling) return;
    auto table = result_.returns;
    if (universe_.benchmark && settings_.pairwise) {
      table = beside_.beside;
    } else if (universe_.benchmark) {
      const auto last = table.returns.cols();
      table.assets.push_back(*universe_.benchmark);
      table.returns.conservativeResize(Eigen::NoChange, last + 1);
      table.spans.conservativeResize(Eigen::NoChange, last + 1);
      table.returns.col(last) = beside_.benchmark;
      for (Eigen::Index t = 0; t < table.spans.rows(); ++t) {
        table.spans(t, last) = std::isfinite(beside_.benchmark[t]) ? table.spans(t, 0) : 0;
      }
    }
    const auto window = std::size_t(std::llround(table.periods_per_year / options_.rolling->periods_per_year()));
    for (const auto& [a, b] : pairs_to_follow()) result_.rolling.push_back(rolling_correlation(table, a, b, window));
  }

  void draw_bands() {
    if (!options_.bands) return;
    if (settings_.pairwise && result_.returns.common_rows().size() < result_.returns.observations()) {
      result_.warnings.emplace_back(
          "Bands of correlations are left out: draws are of whole periods that all assets have, and these correlations "
          "are pair by pair");
      return;
    }
    auto how = *options_.bands;
    how.correlations = true;
    result_.coverage = how.coverage;
    if (auto notice = notice_of_long_blocks(how.block, result_.returns.common_rows().size(), "periods")) {
      result_.warnings.push_back(std::move(*notice));
    }
    auto bands = bootstrap_bands(result_.returns, how);
    bands.correlation_low = bands.correlation_low(order_, order_).eval();
    bands.correlation_high = bands.correlation_high(order_, order_).eval();
    result_.bands = std::move(bands);
  }

  const Universe& universe_;
  const Settings& settings_;
  const RelationsOptions& options_;
  Relations result_;
  StudyReturns beside_;  // with the benchmark's, where there is one
  std::vector<std::size_t> order_;
};

}  // namespace

Relations relations_of(const Universe& universe, const Settings& settings, const RelationsOptions& options) {
  return Relating(universe, settings, options).all();
}

}  // namespace inchtide

#include "inchtide/report/frontier.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>

#include "begin.hpp"
#include "frontier_charts.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/report/estimate.hpp"
#include "json.hpp"
#include "weight_tables.hpp"

namespace inchtide::report {
namespace {

/// Weights that lie this near to an end of their range, or to none, are told as lying there.
constexpr double near_an_end = 5e-7;

enum class End { none, between, lower, upper };

End end_of(const Bounds& bounds, const Eigen::VectorXd& weights, Eigen::Index i) {
  if (std::abs(weights[i]) <= near_an_end) return End::none;
  if (bounds.upper[i] - weights[i] <= near_an_end) return End::upper;
  return weights[i] - bounds.lower[i] <= near_an_end ? End::lower : End::between;
}

/// Where a row's total stands.
End end_of(const LimitRow& row, const Eigen::VectorXd& weights) {
  const double value = row.value(weights);
  const double near = near_an_end * std::max(1.0, row.coefficients.cwiseAbs().maxCoeff());
  if (row.upper - value <= near) return End::upper;
  return value - row.lower <= near ? End::lower : End::between;
}

/// "HOLLBANK out, KELPFARM in": the assets that have come to a bound on the way down to a corner, and those that move
/// off one from there on.
std::string changes_at(const Frontier& frontier, std::size_t corner) {
  const auto& bounds = frontier.bounds();
  const auto& assets = frontier.estimate().assets;
  const auto last = frontier.corners().size() - 1;
  const Eigen::VectorXd now = frontier.weights(corner);
  const Eigen::VectorXd above = corner > 0 ? frontier.weights(corner - 1) : now;
  const Eigen::VectorXd below = corner < last ? frontier.weights(corner + 1) : now;
  std::vector<std::string> changes;
  if (corner == 0) changes.push_back("highest return");
  if (corner == last) changes.push_back("minimum variance");
  for (Eigen::Index i = 0; i < now.size(); ++i) {
    const auto is = end_of(bounds, now, i);
    if (is == End::between || end_of(bounds, above, i) == is) continue;
    changes.push_back(assets[std::size_t(i)] + (is == End::none    ? " out"
                                                : is == End::upper ? " at its most"
                                                                   : " at its least"));
  }
  for (Eigen::Index i = 0; i < now.size(); ++i) {
    const auto is = end_of(bounds, now, i);
    if (is == End::between || end_of(bounds, below, i) == is) continue;
    changes.push_back(assets[std::size_t(i)] + (is == End::none    ? " in"
                                                : is == End::upper ? " off its most"
                                                                   : " off its least"));
  }
  for (const auto& row : bounds.rows) {
    for (Eigen::Index i = 0; i < row.bend.size(); ++i) {  // a size such as turnover keeps weights where it is least
      const double at = row.bend_at[i];
      const auto stands = [&](const Eigen::VectorXd& weights) { return std::abs(weights[i] - at) <= near_an_end; };
      if (row.bend[i] == 0 || std::abs(at) <= near_an_end || !stands(now)) continue;
      const auto& asset = assets[std::size_t(i)];
      if (!stands(above) && stands(below)) changes.push_back(fmt::format("{} stays at {}", asset, percent_text(at)));
      if (stands(above) && !stands(below)) changes.push_back(fmt::format("{} off {}", asset, percent_text(at)));
    }
    const auto is = end_of(row, now);
    const char* end = is == End::upper ? "its most" : "its least";
    if (is == End::between) continue;
    if (end_of(row, above) != is) changes.push_back(fmt::format("{} at {}", row.label, end));
    if (end_of(row, below) != is) changes.push_back(fmt::format("{} off {}", row.label, end));
  }
  // Where two limits touch at once, the weights may go straight on while one takes over from the other.
  return changes.empty() ? "another limit takes over" : fmt::format("{}", fmt::join(changes, ", "));
}

Table corners_table(const Frontier& frontier, double risk_free) {
  Table table{"corners",
              "Efficient frontier: its corners, exact in between",
              {{"Corner", Format::count},
               {"Expected return", Format::percent},
               {"Volatility", Format::percent},
               {"Sharpe", Format::number3},
               {"Held", Format::count},
               {"What changes there"}},
              {},
              {}};
  for (std::size_t k = 0; k < frontier.corners().size(); ++k) {
    const auto at = frontier.risk_and_return(k, risk_free);
    table.add({double(k + 1), at.expected_return, at.volatility, sharpe_cell(at.sharpe, at.volatility),
               double(held_count(frontier.weights(k))), changes_at(frontier, k)});
  }
  table.notes.push_back(in_a_line(frontier.estimate()));
  table.notes.push_back(fmt::format("Sharpe against a risk-free rate of {}", short_percent(risk_free)));
  return table;
}

double return_of(const Portfolio& p, double risk_free) {
  return whole_return(p.expected_return, p.weights.sum(), risk_free);
}

/// Points within a ceiling on the tracking error, highest return first.
Table tracked_table(const std::vector<TrackedPortfolio>& points, double risk_free) {
  Table table{"tracked",
              "Certified points within the tracking error, per year",
              {{"Expected return", Format::percent},
               {"Volatility", Format::percent},
               {"Tracking error", Format::percent},
               {"Sharpe", Format::number3},
               {"Held", Format::count},
               {"Ceiling"}},
              {},
              {}};
  for (const auto& point : points) {
    const auto& p = point.portfolio;
    table.add({return_of(p, risk_free), p.volatility, point.tracking_error,
               sharpe_cell(p.sharpe(risk_free), p.volatility), double(held_count(p.weights)),
               point.ceiling_price > 0 ? "met" : "slack"});
  }
  return table;
}

/// The inefficient half, from the minimum variance down.
Table lower_half_table(const std::vector<Portfolio>& corners, double risk_free) {
  Table table{"lower-half",
              "The inefficient half: corners from the minimum variance down, per year",
              {{"Expected return", Format::percent}, {"Volatility", Format::percent}, {"Held", Format::count}},
              {},
              {}};
  for (const auto& corner : corners) {
    table.add({return_of(corner, risk_free), corner.volatility, double(held_count(corner.weights))});
  }
  return table;
}

/// Weights of one aim over the draws.
Table weight_bands_table(const WeightBands& bands, const std::vector<std::string>& assets, const Sensitivity& drawn) {
  Table table{"draws-" + bands.aim,
              fmt::format("Weights of {} over {} draws", bands.aim, bands.draws),
              {{"Asset"},
               {"As estimated", Format::percent},
               {"Average", Format::percent},
               {"5% of draws below", Format::percent},
               {"5% above", Format::percent},
               {"Held in", Format::percent, "of draws"}},
              {},
              {}};
  std::vector<std::string> never;
  for (std::size_t i = 0; i < assets.size(); ++i) {
    const auto at = Eigen::Index(i);
    if (bands.held[at] == 0 && !(bands.weights.size() > 0 && is_held(bands.weights[at]))) {
      never.push_back(assets[i]);
      continue;
    }
    table.add({assets[i], bands.weights.size() > 0 ? Cell(bands.weights[at]) : Cell(), bands.average[at], bands.low[at],
               bands.high[at], bands.held[at]});
  }
  if (!never.empty()) table.notes.push_back(fmt::format("Held in no draw: {} assets", never.size()));
  table.notes.push_back(fmt::format(
      "Each draw resamples the history in blocks of {:.1f} periods on average, estimates anew and solves under the "
      "same limits{}",
      drawn.block, drawn.left_out > 0 ? fmt::format("; {} draws had no certified frontier", drawn.left_out) : ""));
  return table;
}

Json portfolio_json(const Estimate& estimate, const Portfolio& portfolio, double risk_free) {
  Json object = {{"expected_return", whole_return(portfolio.expected_return, portfolio.weights.sum(), risk_free)},
                 {"volatility", portfolio.volatility}};
  object["sharpe"] = portfolio.volatility > 0 ? Json(portfolio.sharpe(risk_free)) : Json();
  object["lambda"] = portfolio.lambda;
  object["weights"] = weights_json(estimate.assets, portfolio.weights);
  object["certificate"] = certificate_json(portfolio.certificate);
  return object;
}

Json multipliers_json(const std::vector<Multiplier>& multipliers, const Limits& limits) {
  auto list = Json::array();
  for (const auto& [limit, figure, equality] : multipliers) {
    const auto& own = limits[std::size_t(limit)];
    list.push_back({{"limit", own.name}, {"multiplier", figure}});
    if (equality) list.back()["equality"] = true;
    if (own.kind == Limit::Kind::average) list.back()["per_unit"] = true;
  }
  return list;
}

constexpr double same_from_both = 1e-9;  // figures of a corner from above and from below

/// Whether the ways that meet in a corner leave it with the same multipliers.
bool go_on(const CornerMultipliers& at) {
  const auto &above = at.above, &below = at.below;
  const auto found_in = [](const std::vector<Multiplier>& some, const Multiplier& one) {
    const auto found = std::ranges::find(some, one.limit, &Multiplier::limit);
    return std::abs((found == some.end() ? 0 : found->figure) - one.figure) <=
           same_from_both * std::max(1.0, std::abs(one.figure));
  };
  return std::ranges::all_of(above, [&](const Multiplier& one) { return found_in(below, one); }) &&
         std::ranges::all_of(below, [&](const Multiplier& one) { return found_in(above, one); });
}

/// On the way down to the next corner lambda and what binds go in straight lines, from `lambda` and `binding` here to
/// those there, or to its `lambda_above` and `binding_above` where these are given as others.
/// @param weights_of a member with the weights of a corner, or null where it is left out
template <typename WeightsOf>
Json corners_json(const Frontier& frontier, double risk_free, WeightsOf weights_of) {
  const auto multipliers = frontier.multipliers(risk_free);
  const auto last = frontier.corners().size() - 1;
  auto corners = Json::array();
  for (std::size_t k = 0; k <= last; ++k) {
    const auto at = frontier.risk_and_return(k, risk_free);
    const auto& own = frontier.corners()[k];
    const auto& beside = multipliers[k];
    Json weights = weights_of(k);
    if (weights.is_null()) continue;
    corners.push_back({{"expected_return", at.expected_return},
                       {"volatility", at.volatility},
                       {"lambda", own.lambda_low},
                       std::move(weights),
                       {"binding", multipliers_json(k < last ? beside.below : beside.above, frontier.limits())}});
    if (k > 0 && own.lambda_high - own.lambda_low > same_from_both * own.lambda_high)
      corners.back()["lambda_above"] = own.lambda_high;
    if (k > 0 && k < last && !go_on(beside)) {
      corners.back()["binding_above"] = multipliers_json(beside.above, frontier.limits());
    }
  }
  return corners;
}

/// Places among the assets and weights, in turn, of those that are not the ones before.
Json changes_json(const Eigen::VectorXd& before, const Eigen::VectorXd& weights) {
  auto changes = Json::array();
  for (Eigen::Index i = 0; i < weights.size(); ++i) {
    if (weights[i] == before[i]) continue;
    changes.push_back(i);
    changes.push_back(weights[i]);
  }
  return changes;
}

Json frontier_json(const Frontier& frontier, double risk_free) {
  const auto& estimate = frontier.estimate();
  auto corners = corners_json(frontier, risk_free, [&](std::size_t k) -> Json {
    return {"weights", weights_json(estimate.assets, frontier.weights(k))};
  });
  Json result = {{"corners", std::move(corners)},
                 {"minimum_variance", portfolio_json(estimate, frontier.minimum_variance(), risk_free)},
                 {"maximum_sharpe", nullptr},
                 {"risk_free", risk_free},
                 {"observations", estimate.observations},
                 {"denominator", estimate.denominator ? Json(to_string(*estimate.denominator)) : Json()},
                 {"from", or_null(estimate.from)},
                 {"to", or_null(estimate.to)}};
  if (!frontier.why_no_maximum_sharpe(risk_free)) {
    const auto best = frontier.maximum_sharpe(risk_free);
    result["maximum_sharpe"] = portfolio_json(estimate, best.portfolio, risk_free);
    result["maximum_sharpe"]["at_highest_return"] = best.at_top;
  }
  return result;
}

Json point_json(const TrackedPortfolio& point, const Estimate& estimate) {
  return {{"expected_return", return_of(point.portfolio, estimate.risk_free)},
          {"volatility", point.portfolio.volatility},
          {"tracking_error", point.tracking_error},
          {"lambda", point.portfolio.lambda},
          {"on_ceiling", point.ceiling_price > 0},
          {"weights", weights_json(estimate.assets, point.portfolio.weights)}};
}

/// Leaves the corners within the ceiling, adds the points, and names the portfolios that honour it.
void restrict_to_ceiling(Json& result, const Tracing& tracing) {
  const auto& frontier = tracing.frontier;
  const double ceiling = frontier.bounds().tracking_error.value().value;
  auto corners = Json::array();
  for (std::size_t k = 0; k < frontier.corners().size(); ++k) {
    if (tracing.tracking_errors[k] > ceiling) continue;
    auto corner = result["corners"][k];
    corner["tracking_error"] = tracing.tracking_errors[k];
    corners.push_back(std::move(corner));
  }
  result["corners"] = std::move(corners);
  auto list = Json::array();
  for (const auto& point : tracing.tracked) list.push_back(point_json(point, frontier.estimate()));
  // Towards the highest return that the ceiling leaves lambda grows without end.
  if (tracing.tracked.front().ceiling_price > 0) list[0]["lambda"] = nullptr;
  result["points"] = std::move(list);
  const auto within = [&](const std::optional<Allocation>& allocation) -> Json {
    if (!allocation) return nullptr;
    return {{"expected_return", allocation->expected_return},
            {"volatility", allocation->volatility},
            {"sharpe", allocation->volatility > 0 ? Json(allocation->sharpe) : Json()},
            {"tracking_error", or_null(allocation->tracking_error)},
            {"weights", weights_json(allocation->assets, allocation->weights)}};
  };
  result["maximum_sharpe"] = within(tracing.best);
  result["minimum_variance"] = within(tracing.least);
}

Json lower_half_json(const std::vector<Portfolio>& corners, const Estimate& estimate) {
  auto list = Json::array();
  for (const auto& corner : corners) {
    list.push_back({{"expected_return", return_of(corner, estimate.risk_free)},
                    {"volatility", corner.volatility},
                    {"lambda", corner.lambda},
                    {"weights", weights_json(estimate.assets, corner.weights)}});
  }
  return list;
}

Json sensitivity_json(const Sensitivity& drawn, const std::vector<std::string>& assets) {
  auto frontier = Json::array(), portfolios = Json::array();
  for (const auto& at : drawn.frontier) {
    frontier.push_back({{"volatility", at.volatility},
                        {"low", at.low},
                        {"median", at.middle},
                        {"high", at.high},
                        {"draws", at.draws}});
  }
  for (const auto& bands : drawn.portfolios) {
    portfolios.push_back({{"aim", bands.aim},
                          {"draws", bands.draws},
                          {"average", weights_json(assets, bands.average)},
                          {"low", weights_json(assets, bands.low)},
                          {"high", weights_json(assets, bands.high)},
                          {"held", weights_json(assets, bands.held)}});
  }
  return {{"draws", drawn.draws},
          {"block", drawn.block},
          {"left_out", drawn.left_out},
          {"frontier", frontier},
          {"portfolios", portfolios}};
}

Json frontier_result(const Tracing& tracing, const Basis& basis) {
  auto result = frontier_json(tracing.frontier, basis.risk_free);
  result["bounds"] = bounds_json(tracing.frontier.bounds());
  if (basis.facts.benchmark) {
    result["benchmark_risk"] = {{"covariances", list_of(basis.facts.benchmark->covariances)},
                                {"variance", basis.facts.benchmark->variance}};
  }
  if (tracing.frontier.bounds().tracking_error) restrict_to_ceiling(result, tracing);
  if (!tracing.lower_half.empty()) result["lower_half"] = lower_half_json(tracing.lower_half, basis.estimate);
  if (tracing.drawn) result["sensitivity"] = sensitivity_json(*tracing.drawn, basis.estimate.assets);
  return result;
}

}  // namespace

std::string in_a_line(const Frontier& frontier, double risk_free) {
  const auto corners = frontier.corners().size();
  const auto top = frontier.risk_and_return(0, risk_free), bottom = frontier.risk_and_return(corners - 1, risk_free);
  return fmt::format("{} corner{}, from {} a year at {} volatility to {} at {}", corners, corners == 1 ? "" : "s",
                     percent_text(bottom.expected_return), percent_text(bottom.volatility),
                     percent_text(top.expected_return), percent_text(top.volatility));
}

std::string in_full(const Frontier& frontier, double risk_free) {
  return to_text(corners_table(frontier, risk_free));
}

Json corners_by_changes(const Frontier& frontier, const Basis& basis) {
  const auto& estimate = frontier.estimate();
  const auto& ceiling = frontier.bounds().tracking_error;
  Eigen::VectorXd before = Eigen::VectorXd::Zero(Eigen::Index(estimate.assets.size()));
  auto corners = corners_json(frontier, basis.risk_free, [&](std::size_t k) -> Json {
    auto weights = frontier.weights(k);
    if (ceiling && basis.facts.benchmark.value().tracking_error(estimate.covariance, weights) > ceiling->value) {
      return nullptr;
    }
    auto changes = changes_json(before, weights);
    before = std::move(weights);
    return {"changed", std::move(changes)};
  });
  return {{"assets", estimate.assets}, {"corners", std::move(corners)}};
}

Chapter frontier_chapter(const Tracing& tracing, const Basis& basis, const Universe* universe, const Settings& settings,
                         const Background& from) {
  const auto& traced = tracing.frontier;
  const double risk_free = basis.risk_free;
  auto chapter = begin_chapter("frontier", basis, universe, settings, from, tracing.warnings);
  chapter.sentence = in_a_line(traced, risk_free);
  auto& tables = chapter.tables;
  chapter.result = frontier_result(tracing, basis);
  tables = {corners_table(traced, risk_free), comparison_table(tracing.chosen()), weights_table(tracing.chosen())};
  if (traced.bounds().tracking_error) {
    tables.insert(tables.begin() + 1, tracked_table(tracing.tracked, risk_free));
    tables[0].title += ", without the ceiling on the tracking error";
  }
  if (!tracing.lower_half.empty()) tables.push_back(lower_half_table(tracing.lower_half, risk_free));
  if (tracing.drawn) {
    for (const auto& bands : tracing.drawn->portfolios) {
      tables.push_back(weight_bands_table(bands, basis.estimate.assets, *tracing.drawn));
    }
  }
  chapter.charts = {frontier_chart(tracing, risk_free), transition_chart(traced)};
  return chapter;
}

}  // namespace inchtide::report
